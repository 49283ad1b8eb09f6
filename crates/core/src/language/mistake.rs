//! Mistakes in the writing of a declaration.

use crate::Span;

/// A mistake and the bytes it is about.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{kind}")]
pub struct Mistake {
    /// What is wrong.
    pub kind: MistakeKind,
    /// Where.
    pub span: Span,
}

/// The kinds of mistakes.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "each variant's message says what it is; its fields are the words in the message")]
pub enum MistakeKind {
    #[error("expected {wanted}, found {found}")]
    Unexpected { wanted: String, found: String },
    #[error("there is no declaration `{word}`")]
    UnknownDeclaration { word: String, nearest: Option<&'static str> },
    #[error("there is no table item `{word}`")]
    UnknownItem { word: String, nearest: Option<&'static str> },
    #[error("there is no clause `{word}`")]
    UnknownClause { word: String, nearest: Option<&'static str> },
    #[error("there is no provider `{word}`")]
    UnknownProvider { word: String, nearest: Option<&'static str> },
    #[error("`{first}` and `{second}` contradict each other")]
    Contradiction { first: String, second: String },
    #[error("`{word}` is said twice")]
    Repeated { word: String },
    #[error("`{word}` only makes sense beside `references`")]
    NeedsReference { word: String },
    #[error("`{word}` cannot hold for some providers alone")]
    HoldsForAll { word: String },
    #[error("column `{column}` has a second reference in its line")]
    SecondReference { column: String, table: String },
    #[error("{what} is not closed")]
    Unclosed { what: &'static str, close: String },
    #[error("a bare name is written in lower case, and `{word}` is not")]
    UpperCase { word: String },
    #[error("an empty name")]
    EmptyName,
    #[error("{word} is not a whole number that fits here")]
    BadNumber { word: String },
    #[error("a step of 0 gives the same number again")]
    NoStep,
    #[error("`{type_name}` takes {takes}")]
    TypeArguments { type_name: &'static str, takes: &'static str },
    #[error("column `{column}` has neither a type nor a reference")]
    NoType { column: String },
    #[error("column `{column}` takes its type from itself, by way of its references")]
    CircularType { column: String },
    #[error("table `{table}` has no single-column primary key to take a type from")]
    NoKeyToReference { table: String },
    #[error("table `{table}` is not closed")]
    UnclosedTable { table: String },
}

impl MistakeKind {
    /// What stands under the caret.
    pub fn label(&self) -> String {
        match self {
            Self::Unexpected { wanted, .. } => format!("expected {wanted}"),
            Self::UnknownDeclaration { .. }
            | Self::UnknownItem { .. }
            | Self::UnknownClause { .. }
            | Self::UnknownProvider { .. } => "unknown".into(),
            Self::Unclosed { close, .. } => format!("no closing {close}"),
            Self::UnclosedTable { .. } => "opened here".into(),
            Self::Repeated { .. } | Self::SecondReference { .. } => "again here".into(),
            Self::HoldsForAll { .. } => "here with providers".into(),
            Self::NoType { .. } => "no type".into(),
            Self::NoKeyToReference { .. } => "no single key".into(),
            Self::Contradiction { .. }
            | Self::NeedsReference { .. }
            | Self::UpperCase { .. }
            | Self::EmptyName
            | Self::BadNumber { .. }
            | Self::NoStep
            | Self::TypeArguments { .. }
            | Self::CircularType { .. } => "here".into(),
        }
    }

    /// What to type to mend it.
    pub fn help(&self) -> String {
        let meant = |nearest: &Option<&'static str>, otherwise: &str| match nearest {
            Some(nearest) => format!("did you mean `{nearest}`?"),
            None => otherwise.to_owned(),
        };
        match self {
            Self::Unexpected { wanted, found } if wanted == "a value" && found.starts_with("`\"") => {
                format!("a text stands in single quotes: '{}'", found.trim_matches(['`', '"']))
            }
            Self::Unexpected { wanted, found } if wanted.starts_with("`,`") => {
                format!("clauses are separated by commas: `, {}`", found.trim_matches('`'))
            }
            Self::Unexpected { .. } => "docs/language.md shows every form".into(),
            Self::UnknownDeclaration { nearest, .. } => meant(
                nearest,
                "a declaration begins with table, enum, view, rows, trigger, routine, object, domain or another word of docs/language.md",
            ),
            Self::UnknownItem { nearest, .. } => meant(
                nearest,
                "a column is written `name: type`; other items are primary key, unique, foreign key, check, index, about, option",
            ),
            Self::UnknownClause { nearest, .. } => {
                meant(nearest, "clauses are separated by commas: `phone: text(32), null, default ''`")
            }
            Self::UnknownProvider { nearest, .. } => {
                meant(nearest, "providers are sqlite, postgres, mariadb, mysql and sqlserver")
            }
            Self::Contradiction { .. } => "keep one of them".into(),
            Self::Repeated { .. } => "remove one of them".into(),
            Self::NeedsReference { word } if word == "indexed" => {
                "for an index without a reference, write a line of its own behind the columns: `index (column)`".into()
            }
            Self::NeedsReference { .. } => "write `references TABLE` before it".into(),
            Self::HoldsForAll { word } if word == "null" => {
                "take the providers away; behind a comma they are of the whole column".into()
            }
            Self::HoldsForAll { .. } => "take the providers away".into(),
            Self::SecondReference { column, table } => format!(
                "write it below the columns, with its providers: `foreign key ({column}) references {table}, for …`"
            ),
            Self::Unclosed { close, .. } if close.starts_with(['`', 'i']) => format!("add {close}"),
            Self::Unclosed { close, .. } => format!("add a {close}"),
            Self::UpperCase { word } => {
                format!("write `\"{word}\"` to mean exactly this name, or `{}`", word.to_lowercase())
            }
            Self::EmptyName => "write a name between the quotes".into(),
            Self::BadNumber { .. } => "write digits only".into(),
            Self::NoStep => "write `by 10` to count up in tens, `by -1` to count down".into(),
            Self::TypeArguments { type_name, .. } => match *type_name {
                "decimal" => "write `decimal(6, 2)`: digits in all, digits behind the point".into(),
                "char" => "write `char(2)`".into(),
                other => format!("write `{other}`"),
            },
            Self::NoType { .. } => "write `name: type`, or `name: references TABLE`".into(),
            Self::CircularType { .. } => "give one of the columns a type of its own".into(),
            Self::NoKeyToReference { table } => {
                format!("name the column, `references {table}(code)`, or use a `foreign key` item for several")
            }
            Self::UnclosedTable { .. } => "add `}` after its last item".into(),
        }
    }
}
