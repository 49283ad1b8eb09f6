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
    /// Its definition; of a view its query.
    pub sql: String,
}

/// Tells views, triggers and routines from what the model does not describe.
pub(super) fn told_apart(dialect: Dialect, others: Vec<OtherRow>) -> (Vec<Program>, Vec<Unmanaged>) {
    let (mut programs, mut unmanaged) = (Vec::new(), Vec::new());
    for other in others {
        let kind = match other.kind {
            ObjectKind::View => ProgramKind::View,
            ObjectKind::Trigger => ProgramKind::Trigger,
            ObjectKind::Routine => ProgramKind::Routine,
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
    let name = dialect.quote(&other.name);
    let on = other.table.as_ref().map(|table| format!(" on {}", dialect.quote(table)));
    let on = on.filter(|_| dialect.facts().triggers_are_of_tables).unwrap_or_default();
    let sql = other.sql.trim().trim_end_matches(';');
    Program {
        kind,
        body: Expression::read_whole(sql, dialect.syntax()),
        comment: None,
        create: match kind {
            ProgramKind::View => format!("create view {name} as\n{sql}"),
            ProgramKind::Trigger | ProgramKind::Routine => sql.to_owned(),
        },
        drop: format!("drop {} {name}{on}", kind.word()),
        name: other.name,
        table: other.table,
    }
}
