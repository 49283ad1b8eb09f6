//! What a change of a column means for what looks at it.

use super::lower::table_collation;
use super::types::{is_number, is_text};
use crate::physical::{Column, Table, TypeName};
use crate::plan::{Constraint, Placement, Step};
use crate::schema::Storage;
use crate::sql::{Lexer, TokenKind};

/// A column of a reference cannot be changed (MariaDB, "Foreign Keys", "Constraints"), but for one that no longer requires a
/// value; and what is computed from it would be computed from what it was.
pub(in crate::dialect) fn disturbs(from: &Column, to: &Column) -> bool {
    from.ty != to.ty || from.collation != to.collation || (from.nullable && !to.nullable)
}

/// A stored value can stay when its expression goes (MariaDB, "Generated (Virtual and Persistent/Stored) Columns").
pub(in crate::dialect) fn keeps_computed(from: &Column, to: &Column) -> bool {
    let was_stored = from.generated.as_ref().is_some_and(|one| one.storage == Storage::Stored);
    was_stored && to.generated.is_none()
}

/// Seen on MariaDB 10.11: what a check compares a column with becomes a value of the column's new type, a text beside a number
/// the number 0 (`code <> 'never'` is `code <> 0`), and stays one when the type goes back.
pub(in crate::dialect) fn changes_checks(from: &TypeName, to: &TypeName) -> bool {
    kind(from) != kind(to)
}

/// What of a type tells how a value beside it in an expression is stored.
pub(in crate::dialect) fn kind(ty: &TypeName) -> &'static str {
    match (is_text(ty), is_number(ty)) {
        (true, _) => "text",
        (_, true) => "number",
        _ => "other",
    }
}

/// Every statement of ours commits by itself, but for those that change rows.
pub(in crate::dialect) fn placement(step: &Step) -> Placement {
    match step {
        Step::FillColumn { batch: None, .. }
        | Step::Keep(_)
        | Step::Restore { .. }
        | Step::InsertRows { .. }
        | Step::UpdateRows { .. }
        | Step::DeleteRows { .. } => Placement::InTransaction,
        _ => Placement::Outside,
    }
}

/// Whether a step can be part of a statement with others of its kind. Where a column begins to number rows, the statement
/// has another one around it.
pub(in crate::dialect) fn can_join(step: &Step) -> bool {
    match step {
        Step::AlterColumn { from, to, .. } => from.identity == to.identity,
        Step::AddConstraint { constraint, .. } => {
            matches!(constraint, Constraint::Check(_) | Constraint::ForeignKey(_))
        }
        _ => false,
    }
}

/// Whether a default gives another value each time, for a reason that MySQL calls unsafe (MySQL 9.7, "Data Type Default
/// Values"): a statement that adds a column with it is refused, error 1674, with the binary log off as well.
pub(in crate::dialect) fn is_unsafe(default: &str) -> bool {
    const UNSAFE: [&str; 10] = [
        "connection_id",
        "current_user",
        "rand",
        "random_bytes",
        "session_user",
        "sysdate",
        "system_user",
        "user",
        "uuid",
        "uuid_short",
    ];
    let mut words = Lexer::new(default, 0, super::SYNTAX).filter(|token| token.kind == TokenKind::Word);
    words.any(|word| UNSAFE.contains(&word.span.text(default).to_ascii_lowercase().as_str()))
}

/// Types of which MySQL 9.7 was seen to copy the table that has a check over such a column, whenever a column of it is
/// renamed.
pub(in crate::dialect) fn copies_for_checks(ty: &TypeName) -> bool {
    let canonical = ty.canonical();
    let head = canonical.split(['(', ' ']).next().unwrap_or_default();
    let is_moment_or_word =
        ["date", "time", "datetime", "timestamp", "enum", "set"].contains(&head.to_ascii_lowercase().as_str());
    let is_long = ["TINY", "MEDIUM", "LONG"]
        .iter()
        .any(|size| head.strip_prefix(size).is_some_and(|rest| matches!(rest, "TEXT" | "BLOB")));
    is_moment_or_word || is_long
}

/// An enum with the words of two, those of the first one first.
pub(in crate::dialect) fn holding_both(from: &TypeName, to: &TypeName) -> Option<TypeName> {
    let (mut all, new) = (words(from)?, words(to)?);
    let more: Vec<String> = new.into_iter().filter(|word| !all.contains(word)).collect();
    all.extend(more);
    let text = format!("enum({})", all.join(","));
    Some(TypeName::exact(&text, &text))
}

/// The words of an enum, each as a literal.
pub(in crate::dialect) fn words(ty: &TypeName) -> Option<Vec<String>> {
    let list = ty.text().strip_prefix("enum(")?.strip_suffix(')')?.to_owned();
    let texts = Lexer::new(&list, 0, super::SYNTAX).filter(|token| token.kind == TokenKind::Text);
    Some(texts.map(|token| token.span.text(&list).to_owned()).collect())
}

/// The columns that have the collation of a table which gets another one, each with the one it has before (MariaDB, "ALTER
/// TABLE", "Table Options": the default is for new columns only).
pub(in crate::dialect) fn following(from: &Table, to: &Table) -> Vec<Column> {
    let (old, new) = (table_collation(from), table_collation(to));
    if old == new {
        return Vec::new();
    }
    let stays = |column: &&Column| {
        let after = to.column(&column.name);
        is_text(&column.ty) && column.collation.is_none() && after.is_some_and(|after| after.collation.is_none())
    };
    let stored = |column: &Column| Column { collation: Some(old.clone()), ..column.clone() };
    from.columns.iter().filter(stays).map(stored).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_enums_have_the_words_of_both() {
        let ty = |text: &str| TypeName::exact(text, text);
        let both = holding_both(&ty("enum('a','b','it''s, (x)')"), &ty("enum('c','b')"));
        assert_eq!(both.map(|ty| ty.text().to_owned()).as_deref(), Some("enum('a','b','it''s, (x)','c')"));
        assert_eq!(holding_both(&ty("enum('a')"), &ty("int")), None);
    }
}
