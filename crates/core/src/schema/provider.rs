//! The database providers, and which of them an item holds for.

use std::fmt;

use serde::Serialize;

/// A database product that declarations can speak of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Provider {
    /// SQLite, embedded.
    Sqlite,
    /// PostgreSQL.
    Postgres,
    /// MariaDB.
    Mariadb,
    /// MySQL.
    Mysql,
    /// Microsoft SQL Server.
    Sqlserver,
}

impl Provider {
    /// Every provider the language has a word for.
    pub const ALL: [Self; 5] = [Self::Sqlite, Self::Postgres, Self::Mariadb, Self::Mysql, Self::Sqlserver];

    /// The word for it in declarations, configuration and file names.
    pub fn word(self) -> &'static str {
        match self {
            Self::Sqlite => "sqlite",
            Self::Postgres => "postgres",
            Self::Mariadb => "mariadb",
            Self::Mysql => "mysql",
            Self::Sqlserver => "sqlserver",
        }
    }

    /// The name its makers write.
    pub fn title(self) -> &'static str {
        match self {
            Self::Sqlite => "SQLite",
            Self::Postgres => "PostgreSQL",
            Self::Mariadb => "MariaDB",
            Self::Mysql => "MySQL",
            Self::Sqlserver => "SQL Server",
        }
    }

    /// The provider of a word, if it is one.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|provider| provider.word() == word)
    }
}

impl fmt::Display for Provider {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(self.word())
    }
}

/// A set of providers, in one byte: everything that is declared has a scope, and a schema has tens of thousands of things.
#[derive(Clone, Copy, Default, PartialEq, Eq)]
pub struct Providers(u8);

impl Providers {
    const fn bit(provider: Provider) -> u8 {
        1 << provider as u8
    }

    /// Adds one.
    pub fn insert(&mut self, provider: Provider) {
        self.0 |= Self::bit(provider);
    }

    /// Takes one out.
    pub fn remove(&mut self, provider: Provider) {
        self.0 &= !Self::bit(provider);
    }

    /// Whether this one is in it.
    pub fn contains(self, provider: Provider) -> bool {
        self.0 & Self::bit(provider) != 0
    }

    /// Each, in the order of [`Provider::ALL`].
    pub fn iter(self) -> impl Iterator<Item = Provider> {
        Provider::ALL.into_iter().filter(move |provider| self.contains(*provider))
    }
}

impl From<Provider> for Providers {
    fn from(provider: Provider) -> Self {
        Self(Self::bit(provider))
    }
}

impl fmt::Debug for Providers {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_set().entries(self.iter()).finish()
    }
}

/// For which providers an item holds.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Scope {
    /// For all of them.
    #[default]
    All,
    /// For these only.
    For(Providers),
    /// For all but these.
    Except(Providers),
}

impl Scope {
    /// Whether an item of this scope exists on `provider`.
    pub fn holds(self, provider: Provider) -> bool {
        match self {
            Self::All => true,
            Self::For(set) => set.contains(provider),
            Self::Except(set) => !set.contains(provider),
        }
    }

    /// Whether some provider has items of both scopes.
    pub fn overlaps(self, other: Self) -> bool {
        Provider::ALL.into_iter().any(|provider| self.holds(provider) && other.holds(provider))
    }

    /// The scope of what holds where either does.
    pub fn or(self, other: Self) -> Self {
        let mut either = Providers::default();
        for provider in Provider::ALL.into_iter().filter(|one| self.holds(*one) || other.holds(*one)) {
            either.insert(provider);
        }
        match Provider::ALL.into_iter().all(|one| either.contains(one)) {
            true => Self::All,
            false => Self::For(either),
        }
    }

    /// The scope of what holds for the others; nothing where there are none.
    pub fn without(self, provider: Provider) -> Option<Self> {
        let rest = match self {
            Self::All => Self::Except(provider.into()),
            Self::For(mut set) => {
                set.remove(provider);
                Self::For(set)
            }
            Self::Except(mut set) => {
                set.insert(provider);
                Self::Except(set)
            }
        };
        Provider::ALL.into_iter().any(|one| rest.holds(one)).then_some(rest)
    }
}

/// As it is declared: `for sqlite, postgres` or `except mariadb`; nothing where it is all.
impl fmt::Display for Scope {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (word, providers) = match self {
            Self::All => return Ok(()),
            Self::For(providers) => ("for", providers),
            Self::Except(providers) => ("except", providers),
        };
        let providers: Vec<_> = providers.iter().map(Provider::word).collect();
        write!(formatter, "{word} {}", providers.join(", "))
    }
}

/// A value with the providers it is meant for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Scoped<T> {
    /// What was declared.
    pub value: T,
    /// For whom.
    pub scope: Scope,
}

impl<T> Scoped<T> {
    /// The value for every provider.
    pub fn all(value: T) -> Self {
        Self { value, scope: Scope::All }
    }

    /// The value that holds for `provider`: one that names providers wins over one that is for all.
    pub fn pick(list: &[Self], provider: Provider) -> Option<&T> {
        let holding = || list.iter().filter(|scoped| scoped.scope.holds(provider));
        holding().find(|scoped| scoped.scope != Scope::All).or_else(|| holding().next()).map(|scoped| &scoped.value)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn only(providers: &[Provider]) -> Scope {
        let mut set = Providers::default();
        providers.iter().for_each(|one| set.insert(*one));
        Scope::For(set)
    }

    #[test]
    fn scopes_overlap_where_a_provider_has_both() {
        use Provider::{Mariadb, Mysql, Postgres, Sqlite};
        assert!(only(&[Sqlite, Postgres]).overlaps(only(&[Postgres, Mysql])));
        assert!(only(&[Sqlite]).overlaps(Scope::All));
        assert!(!only(&[Sqlite]).overlaps(only(&[Postgres])));
        assert!(!only(&[Sqlite]).overlaps(Scope::Except(Sqlite.into())));
        assert_eq!(only(&[Mariadb]).or(only(&[Mysql])), only(&[Mariadb, Mysql]));
        assert_eq!(only(&[Sqlite]).or(Scope::Except(Sqlite.into())), Scope::All);
        assert_eq!(only(&[Sqlite, Mysql]).without(Mysql), Some(only(&[Sqlite])));
        assert_eq!(only(&[Sqlite]).without(Sqlite), None);
        assert_eq!(Scope::All.without(Sqlite), Some(Scope::Except(Sqlite.into())));
    }
}
