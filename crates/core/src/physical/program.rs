//! Views, triggers, routines and other objects as one provider stores them.

use serde::Serialize;

use super::{ObjectKind, Unmanaged, qualified};
use crate::schema::ProgramKind;
use crate::sql::{Expression, says};

/// A view, trigger, routine or other object.
#[derive(Clone, Debug, Serialize)]
pub struct Program {
    /// What it is.
    pub kind: ProgramKind,
    /// The provider's word for an object: `sequence`, `domain`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub word: Option<String>,
    /// Its name.
    pub name: String,
    /// The table of a trigger.
    pub table: Option<String>,
    /// A view's query, or all that makes a trigger or routine.
    pub body: Expression,
    /// A description.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
    /// The statement that makes it.
    #[serde(skip)]
    pub create: String,
    /// The statement that drops it.
    #[serde(skip)]
    pub drop: String,
    /// Whether its body names what only comes later in a plan, so that the server may not look at it yet.
    #[serde(skip)]
    pub is_early: bool,
    /// Whether `create` changes what is there already.
    #[serde(skip)]
    pub alters: bool,
    /// What has to be there before it, beside what its SQL names.
    #[serde(skip)]
    pub after: Vec<String>,
}

// How it is made and dropped follows from what it is.
impl PartialEq for Program {
    fn eq(&self, other: &Self) -> bool {
        (self.kind, &self.word, &self.name, &self.table, &self.body, &self.comment)
            == (other.kind, &other.word, &other.name, &other.table, &other.body, &other.comment)
    }
}

impl Eq for Program {}

impl Program {
    /// What it is called where nobody declared it.
    pub fn as_unmanaged(&self) -> Unmanaged {
        let kind = match self.kind {
            ProgramKind::View => ObjectKind::View,
            ProgramKind::MaterializedView => ObjectKind::MaterializedView,
            ProgramKind::Trigger => ObjectKind::Trigger,
            ProgramKind::Routine => ObjectKind::Routine,
            ProgramKind::Object => {
                self.word.as_deref().and_then(ObjectKind::from_word).unwrap_or(ObjectKind::Unreadable)
            }
        };
        Unmanaged { kind, name: self.name.clone(), table: self.table.clone(), sql: self.create.clone() }
    }

    /// Whether its name is one of a namespace; others are told apart by words of ours, such as `reader on hive`.
    pub fn is_in_namespace(kind: ProgramKind, word: Option<&str>) -> bool {
        match kind {
            ProgramKind::View | ProgramKind::MaterializedView | ProgramKind::Routine => true,
            ProgramKind::Trigger => false,
            ProgramKind::Object => matches!(
                word,
                Some(
                    "sequence"
                        | "sequence owner"
                        | "domain"
                        | "type"
                        | "aggregate"
                        | "partition"
                        | "statistics"
                        | "index"
                        | "view"
                        | "materialized view"
                )
            ),
        }
    }

    /// Whether rows go with it, which nothing else holds: a partition, or a table in its own words.
    pub fn holds_rows(&self) -> bool {
        matches!(self.word.as_deref(), Some("partition" | "table" | "virtual table"))
    }

    /// Whether its SQL names this.
    pub fn mentions(&self, name: &str) -> bool {
        mentions(&self.create, name)
    }

    /// The part of its SQL that is looked at when it is made; what a routine does inside is when it is called.
    pub fn said_when_made(&self) -> &str {
        match self.kind {
            ProgramKind::Routine => head(&self.create),
            _ => &self.create,
        }
    }

    /// Its name without what tells routines, operators and the like of one name apart.
    pub fn base_name(&self) -> &str {
        let behind = match self.word.as_deref() {
            None if self.kind != ProgramKind::Routine => return &self.name,
            None | Some("aggregate") => "(",
            Some("operator") => " (",
            Some("operator class" | "operator family") => " using ",
            Some("rule" | "policy") => " on ",
            Some(_) => return &self.name,
        };
        self.name.split_once(behind).map_or(&self.name, |(name, _)| name)
    }

    /// The names by which others mention it: its own, and of a type of ranges the one that goes with it, for several ranges
    /// (PostgreSQL 17, "CREATE TYPE", `multirange_type_name`).
    pub(crate) fn names(&self) -> Vec<String> {
        let mut names = vec![self.base_name().to_owned()];
        let folded = self.create.to_ascii_lowercase();
        if self.word.as_deref() == Some("type") && says(&folded, "range") {
            let word = "multirange_type_name";
            let stated = folded.find(word).map(|at| self.create[at + word.len()..].trim_start_matches([' ', '=']));
            let stated = stated.and_then(|rest| rest.split([',', ')']).next());
            let own = qualified::base(&self.name);
            let base = match stated.map(|stated| qualified::of_sql(stated.trim())) {
                Some(stated) => qualified::base(&stated).to_owned(),
                None if own.contains("range") => own.replacen("range", "multirange", 1),
                None => format!("{own}_multirange"),
            };
            names.push(qualified::beside(&self.name, &base));
        }
        names
    }

    /// What a step calls it: its name, behind the provider's word for an object.
    pub fn label(&self) -> String {
        self.word.as_ref().map_or(self.name.clone(), |word| format!("{word} {}", self.name))
    }

    /// Whether two routines have the same name but for the arguments that may be part of it.
    pub(super) fn is_namesake(&self, other: &Self) -> bool {
        let plain = |one: &Self| one.name.split_once('(').map_or(one.name.clone(), |(name, _)| name.to_owned());
        let are_routines = [self, other].iter().all(|one| one.kind == ProgramKind::Routine);
        are_routines && plain(self) == plain(other)
    }

    /// Whether two routines of one name have the same arguments: then what drops the one drops the other.
    pub(super) fn has_arguments_of(&self, other: &Self) -> bool {
        let plain = |one: &Self| -> String {
            one.drop.chars().filter(|letter| !letter.is_whitespace()).flat_map(char::to_lowercase).collect()
        };
        plain(self) == plain(other) || self.body == other.body
    }

    /// The word for it, where it is one of those that are known.
    pub fn known_word(&self) -> &'static str {
        let word = self.word.as_deref().and_then(ObjectKind::from_word);
        word.map_or(self.kind.word(), ObjectKind::word)
    }

    /// The word for it: the kind, or the provider's own word.
    pub fn kind_word(&self) -> &str {
        self.word.as_deref().unwrap_or(self.kind.word())
    }
}

/// What a routine's statement says before its body.
fn head(create: &str) -> &str {
    let begins = create.find("$").into_iter().chain(create.find("\nbegin")).chain(create.find("\nBEGIN")).min();
    begins.map_or(create, |at| &create[..at])
}

/// Whether SQL names this, in any letter case, quoted or not; it need not say the namespace.
pub(crate) fn mentions(sql: &str, name: &str) -> bool {
    says(&sql.to_lowercase(), &said_name(name))
}

/// A name as it is looked for in SQL, whose letters are small then: without namespace and quotes.
pub(crate) fn said_name(name: &str) -> String {
    qualified::plain(qualified::base(name)).to_lowercase()
}
