//! What a server's catalogue holds beside tables and enum types.

use crate::physical::{ObjectKind, Program, Unmanaged};
use crate::schema::ProgramKind;
use crate::sql::Expression;

use super::Dialect;

/// An object with its definition.
#[derive(Clone, Debug)]
pub struct OtherRow {
    /// Its kind.
    pub kind: ObjectKind,
    /// Its name.
    pub name: String,
    /// The table it belongs to.
    pub table: Option<String>,
    /// What makes it; of a view its query. Empty where that cannot be said: then it is only named.
    pub sql: String,
    /// What drops it; empty where its kind says so.
    pub drop: String,
    /// What has to be there before it, beside what its SQL names.
    pub after: Vec<String>,
    /// Its description.
    pub comment: Option<String>,
}

/// Tells views, triggers and routines from what the model does not describe.
pub(super) fn told_apart(dialect: Dialect, others: Vec<OtherRow>) -> (Vec<Program>, Vec<Unmanaged>) {
    let (mut programs, mut unmanaged) = (Vec::new(), Vec::new());
    for other in others {
        let kind = match other.kind {
            // One whose columns are named before its query says more than a query.
            ObjectKind::View if other.drop.is_empty() => ProgramKind::View,
            ObjectKind::Trigger => ProgramKind::Trigger,
            ObjectKind::Routine => ProgramKind::Routine,
            ObjectKind::MaterializedView if other.drop.is_empty() => ProgramKind::MaterializedView,
            _ if !other.sql.is_empty() && !other.drop.is_empty() => ProgramKind::Object,
            kind => {
                unmanaged.push(Unmanaged { kind, name: other.name, table: other.table, sql: other.sql });
                continue;
            }
        };
        programs.push(program(dialect, kind, other));
    }
    unmanaged.sort();
    (programs, unmanaged)
}

fn program(dialect: Dialect, kind: ProgramKind, other: OtherRow) -> Program {
    let word = (kind == ProgramKind::Object).then(|| other.kind.word());
    let name = match Program::is_in_namespace(kind, word) {
        true => dialect.quote_object(&other.name),
        false => dialect.quote(&other.name),
    };
    let on = other.table.as_ref().map(|table| format!(" on {}", dialect.quote_object(table)));
    let on = on.filter(|_| dialect.facts().triggers_are_of_tables).unwrap_or_default();
    let sql = other.sql.trim().trim_end_matches(';');
    Program {
        kind,
        word: word.map(str::to_owned),
        body: Expression::read_whole(sql, dialect.syntax()),
        comment: other.comment,
        create: match kind.is_view() {
            true => format!("create {} {name} as\n{sql}", kind.word()),
            false => sql.to_owned(),
        },
        drop: match other.drop.is_empty() {
            true => format!("drop {} {name}{on}", kind.word()),
            false => other.drop,
        },
        after: other.after,
        is_early: false,
        alters: false,
        name: other.name,
        table: other.table,
    }
}
