//! Migrations in the order of their parents.

use std::collections::{BTreeMap, BTreeSet};

use super::record::Record;
use crate::nearest::nearest;

/// A migration of the project.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Migration {
    /// The number in its folder's name.
    pub number: u32,
    /// The folder's name: number and slug.
    pub folder: String,
    /// What its record says.
    pub record: Record,
}

impl Migration {
    /// Its id.
    pub fn id(&self) -> &str {
        &self.record.id
    }

    /// The folder's name without the number.
    pub fn slug(&self) -> &str {
        self.folder.split_once('-').map_or(self.folder.as_str(), |(_, slug)| slug)
    }
}

/// All migrations of a project, each after its parents.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct History {
    migrations: Vec<Migration>,
    faults: Vec<HistoryFault>,
}

/// What keeps migrations from being one chain.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum HistoryFault {
    /// Several migrations follow the same one.
    #[error("{} follow {}", and_list(children), parent.as_deref().unwrap_or("nothing"))]
    Fork {
        /// Folder of the migration they follow; nothing where each is a beginning.
        parent: Option<String>,
        /// Their folders.
        children: Vec<String>,
    },
    /// A migration follows one that is not there.
    #[error("{migration} follows migration {parent}, which is not in the folder")]
    MissingParent {
        /// The folder.
        migration: String,
        /// The id of its parent.
        parent: String,
    },
    /// Two folders hold the same migration.
    #[error("{first} and {second} have the same id")]
    SameId {
        /// One folder.
        first: String,
        /// The other.
        second: String,
    },
    /// Migrations that follow each other in a circle.
    #[error("{} follow each other in a circle", and_list(migrations))]
    Circle {
        /// Their folders.
        migrations: Vec<String>,
    },
}

impl HistoryFault {
    /// What to do about it.
    pub fn help(&self) -> String {
        match self {
            Self::Fork { children, .. } => {
                let newest = children.last().map_or("", String::as_str);
                format!(
                    "two drafts were made on the same migration: keep one, and draft the other again on top of it \
                     (remove the folder {newest}, then `oak draft`)"
                )
            }
            Self::MissingParent { .. } => {
                "bring its folder back from version control, or look whether the migrations path in hollow-oak.toml is right".into()
            }
            Self::SameId { second, .. } => format!("a folder was copied: remove {second}, and `oak draft` a new migration instead"),
            Self::Circle { .. } => "bring their records back from version control".into(),
        }
    }
}

fn and_list(names: &[String]) -> String {
    match names {
        [] => String::new(),
        [only] => only.clone(),
        [first, last] => format!("{first} and {last}"),
        [head @ .., last] => format!("{}, and {last}", head.join(", ")),
    }
}

/// A name that means no migration, or several.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotFound {
    /// None has it.
    #[error("there is no migration `{wanted}`")]
    Unknown {
        /// What was asked for.
        wanted: String,
        /// The nearest folder.
        nearest: Option<String>,
    },
    /// Several have it.
    #[error("`{wanted}` could be {}", and_list(found))]
    Ambiguous {
        /// What was asked for.
        wanted: String,
        /// Their folders.
        found: Vec<String>,
    },
}

impl NotFound {
    /// What to type instead.
    pub fn help(&self) -> String {
        match self {
            Self::Unknown { nearest: Some(nearest), .. } => format!("did you mean `{nearest}`?"),
            Self::Unknown { .. } => "`oak status` lists the migrations".into(),
            Self::Ambiguous { found, .. } => {
                format!("write the folder's whole name, such as `{}`", found.first().map_or("", String::as_str))
            }
        }
    }
}

impl History {
    /// Puts migrations in order and notes what is wrong with their chain.
    pub fn new(mut migrations: Vec<Migration>) -> Self {
        migrations.sort_by(|a, b| (a.number, &a.folder).cmp(&(b.number, &b.folder)));
        let mut faults = same_ids(&mut migrations);
        faults.extend(missing_parents(&migrations));
        faults.extend(forks(&migrations));
        let (migrations, circle) = parents_first(migrations);
        faults.extend(circle);
        Self { migrations, faults }
    }

    /// The migrations, each after its parents.
    pub fn migrations(&self) -> &[Migration] {
        &self.migrations
    }

    /// What keeps them from being one chain.
    pub fn faults(&self) -> &[HistoryFault] {
        &self.faults
    }

    /// The last of the chain.
    pub fn newest(&self) -> Option<&Migration> {
        self.migrations.last()
    }

    /// The position of the migration with this id.
    pub fn position(&self, id: &str) -> Option<usize> {
        self.migrations.iter().position(|migration| migration.id() == id)
    }

    /// The number of the next migration.
    pub fn next_number(&self) -> u32 {
        self.migrations.iter().map(|migration| migration.number).max().unwrap_or(0) + 1
    }

    /// The position of the migration that somebody means: by number, folder, slug, or the beginning of its id.
    ///
    /// # Errors
    ///
    /// Where none or several could be meant.
    pub fn find(&self, wanted: &str) -> Result<usize, NotFound> {
        let matching = |test: &dyn Fn(&Migration) -> bool| -> Vec<usize> {
            let all = self.migrations.iter().enumerate();
            all.filter(|(_, migration)| test(migration)).map(|(at, _)| at).collect()
        };
        let number: Option<u32> = wanted.parse().ok();
        let by_number = |migration: &Migration| Some(migration.number) == number;
        let by_folder = |migration: &Migration| migration.folder == wanted;
        let by_slug = |migration: &Migration| migration.slug() == wanted;
        let by_id = |migration: &Migration| wanted.len() >= 8 && migration.id().starts_with(wanted);
        let tests: [&dyn Fn(&Migration) -> bool; 4] = [&by_folder, &by_number, &by_slug, &by_id];
        for test in tests {
            match matching(test)[..] {
                [] => {}
                [only] => return Ok(only),
                ref several => {
                    let found = several.iter().map(|at| self.migrations[*at].folder.clone()).collect();
                    return Err(NotFound::Ambiguous { wanted: wanted.to_owned(), found });
                }
            }
        }
        let names = self.migrations.iter().flat_map(|migration| [migration.folder.as_str(), migration.slug()]);
        let nearest = nearest(wanted, names).map(str::to_owned);
        Err(NotFound::Unknown { wanted: wanted.to_owned(), nearest })
    }
}

fn same_ids(migrations: &mut Vec<Migration>) -> Vec<HistoryFault> {
    let mut faults = Vec::new();
    let mut seen: BTreeMap<String, String> = BTreeMap::new();
    migrations.retain(|migration| match seen.get(migration.id()) {
        Some(first) => {
            faults.push(HistoryFault::SameId { first: first.clone(), second: migration.folder.clone() });
            false
        }
        None => {
            seen.insert(migration.id().to_owned(), migration.folder.clone());
            true
        }
    });
    faults
}

/// Ids that are there, themselves or by a migration that stands for them.
fn present(migrations: &[Migration]) -> BTreeSet<&str> {
    migrations
        .iter()
        .flat_map(|migration| {
            std::iter::once(migration.id()).chain(migration.record.replaces.iter().map(String::as_str))
        })
        .collect()
}

fn missing_parents(migrations: &[Migration]) -> Vec<HistoryFault> {
    let present = present(migrations);
    let missing = |migration: &Migration| {
        let absent = migration.record.parents.iter().find(|parent| !present.contains(parent.as_str()))?;
        Some(HistoryFault::MissingParent { migration: migration.folder.clone(), parent: absent.clone() })
    };
    migrations.iter().filter_map(missing).collect()
}

fn forks(migrations: &[Migration]) -> Vec<HistoryFault> {
    let mut children: BTreeMap<Option<&str>, Vec<&Migration>> = BTreeMap::new();
    for migration in migrations {
        if migration.record.parents.is_empty() {
            children.entry(None).or_default().push(migration);
        }
        for parent in &migration.record.parents {
            children.entry(Some(parent)).or_default().push(migration);
        }
    }
    let folder =
        |id: &str| migrations.iter().find(|one| one.id() == id).map_or(id.to_owned(), |one| one.folder.clone());
    children
        .into_iter()
        .filter(|(_, children)| children.len() > 1)
        .map(|(parent, children)| HistoryFault::Fork {
            parent: parent.map(folder),
            children: children.iter().map(|child| child.folder.clone()).collect(),
        })
        .collect()
}

/// Each migration after its parents, by number where the parents leave a choice.
fn parents_first(migrations: Vec<Migration>) -> (Vec<Migration>, Option<HistoryFault>) {
    let ids: BTreeSet<String> = migrations.iter().map(|one| one.id().to_owned()).collect();
    let mut placed: BTreeSet<String> = BTreeSet::new();
    let mut ordered = Vec::with_capacity(migrations.len());
    let mut waiting = migrations;
    while !waiting.is_empty() {
        let mut later = Vec::new();
        let before = ordered.len();
        for migration in waiting {
            let ready = migration.record.parents.iter().all(|parent| placed.contains(parent) || !ids.contains(parent));
            if ready {
                placed.insert(migration.id().to_owned());
                ordered.push(migration);
            } else {
                later.push(migration);
            }
        }
        waiting = later;
        if ordered.len() == before {
            let migrations = waiting.iter().map(|one| one.folder.clone()).collect();
            ordered.append(&mut waiting);
            return (ordered, Some(HistoryFault::Circle { migrations }));
        }
    }
    (ordered, None)
}

/// The slug of a title: lower-case words joined by hyphens, at most 60 characters.
pub fn slug(title: &str) -> String {
    let mut slug = String::new();
    for character in title.chars().flat_map(char::to_lowercase) {
        if character.is_alphanumeric() {
            slug.push(character);
        } else if !slug.is_empty() && !slug.ends_with('-') {
            slug.push('-');
        }
    }
    let mut short: String = slug.chars().take(60).collect();
    while short.ends_with('-') {
        short.pop();
    }
    short
}

#[cfg(test)]
mod tests {
    use super::*;

    fn migration(number: u32, slug: &str, id: &str, parents: &[&str]) -> Migration {
        let record = Record {
            format: 1,
            id: id.into(),
            title: slug.into(),
            parents: parents.iter().map(|id| (*id).to_owned()).collect(),
            replaces: Vec::new(),
            drafted_at: String::new(),
            oak_version: String::new(),
            expected: BTreeMap::new(),
            choices: Default::default(),
            accepted: Vec::new(),
            steps: BTreeMap::new(),
        };
        Migration { number, folder: format!("{number:04}-{slug}"), record }
    }

    fn folders(history: &History) -> Vec<&str> {
        history.migrations().iter().map(|one| one.folder.as_str()).collect()
    }

    #[test]
    fn parents_come_first_whatever_the_numbers_say() {
        let history = History::new(vec![migration(1, "b", "b", &["a"]), migration(2, "a", "a", &[])]);
        assert_eq!(folders(&history), ["0002-a", "0001-b"]);
        assert_eq!(history.faults(), []);
        assert_eq!(history.next_number(), 3);
    }

    #[test]
    fn faults_of_the_chain_are_named() {
        #[track_caller]
        fn case(migrations: Vec<Migration>, expected: &str) {
            let history = History::new(migrations);
            let faults: Vec<_> = history.faults().iter().map(ToString::to_string).collect();
            assert_eq!(faults, [expected]);
        }
        let root = || migration(1, "a", "a", &[]);
        case(
            vec![root(), migration(2, "b", "b", &["a"]), migration(2, "c", "c", &["a"])],
            "0002-b and 0002-c follow 0001-a",
        );
        case(vec![root(), migration(2, "b", "b", &[])], "0001-a and 0002-b follow nothing");
        case(vec![root(), migration(3, "c", "c", &["b"])], "0003-c follows migration b, which is not in the folder");
        case(vec![root(), migration(2, "b", "a", &[])], "0001-a and 0002-b have the same id");
        case(
            vec![root(), migration(2, "b", "b", &["c"]), migration(3, "c", "c", &["b"])],
            "0002-b and 0003-c follow each other in a circle",
        );
    }

    #[test]
    fn a_migration_is_found_by_any_of_its_labels() {
        let id = "0193aaaa-bbbb";
        let history = History::new(vec![
            migration(1, "hives", "x", &[]),
            migration(7, "queens", id, &["x"]),
            migration(7, "kings", "y", &[id]),
        ]);
        assert_eq!(history.find("1"), Ok(0));
        assert_eq!(history.find("0001"), Ok(0));
        assert_eq!(history.find("queens"), Ok(1));
        assert_eq!(history.find("0007-kings"), Ok(2));
        assert_eq!(history.find("0193aaaa"), Ok(1));
        let several = history.find("7").expect_err("two have the number");
        assert_eq!(several.to_string(), "`7` could be 0007-queens and 0007-kings");
        let none = history.find("queen").expect_err("none has the name");
        assert_eq!(none.help(), "did you mean `queens`?");
    }

    #[test]
    fn titles_become_slugs() {
        #[track_caller]
        fn case(title: &str, expected: &str) {
            assert_eq!(slug(title), expected);
        }
        case("First hives", "first-hives");
        case("  Größe: in Gramm!  ", "größe-in-gramm");
        case("../..", "");
        case(&"ab ".repeat(40), &"ab-".repeat(20)[..59]);
    }
}
