//! Descriptions that nobody declared, in statements that would take them away.

use super::SYNTAX;
use super::quote::literal;
use crate::sql::{Lexer, TokenKind};

/// The statement of generated `modify column` actions, each column with the description that it has; `found` gives that
/// by the column's name as it stands there. What says one itself stays.
pub(in crate::dialect) fn keeping_comments(sql: &str, mut found: impl FnMut(&str) -> Option<String>) -> String {
    let (mut depth, mut words) = (0_usize, Vec::new());
    let mut inserted: Vec<(usize, String)> = Vec::new();
    let mut action = Action::default();
    let mut close = |action: &mut Action, end: usize| {
        let Action { column, comment_at, is_said } = std::mem::take(action);
        if let Some(comment) = column.filter(|_| !is_said).and_then(|column| found(&column)) {
            inserted.push((comment_at.unwrap_or(end), format!(" comment {}", literal(&comment))));
        }
    };
    for token in Lexer::new(sql, 0, SYNTAX) {
        let text = token.span.text(sql);
        match text {
            "(" => depth += 1,
            ")" => depth = depth.saturating_sub(1),
            "," if depth == 0 => {
                close(&mut action, token.span.start);
                words.clear();
                continue;
            }
            _ => {}
        }
        if depth > 0 || matches!(token.kind, TokenKind::Space | TokenKind::Comment) {
            continue;
        }
        if words.ends_with(&["modify", "column"]) && action.column.is_none() {
            action.column = Some(text.to_owned());
        } else if text == "comment" {
            action.is_said = true;
        } else if text == "check" {
            // MariaDB, "CREATE TABLE", "Column Definitions": a check comes last.
            action.comment_at.get_or_insert(token.span.start - 1);
        }
        words.push(text);
    }
    close(&mut action, sql.trim_end().len());
    let mut kept = sql.to_owned();
    for (at, clause) in inserted.into_iter().rev() {
        kept.insert_str(at, &clause);
    }
    kept
}

/// What is known of an action.
#[derive(Default)]
struct Action {
    column: Option<String>,
    comment_at: Option<usize>,
    is_said: bool,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_column_keeps_its_own() {
        let found = |column: &str| match column {
            "a" => Some("it's a".to_owned()),
            "`b c`" => Some("b".to_owned()),
            "d" => Some("d".to_owned()),
            _ => None,
        };
        let sql = "alter table t\n    modify column a varchar(3) null default ',)',\n    modify column `b c` decimal(6,2) \
                   not null check (`b c` in (1,2)),\n    modify column d int null comment 'said',\n    modify column e int null";
        assert_eq!(
            keeping_comments(sql, found),
            "alter table t\n    modify column a varchar(3) null default ',)' comment 'it''s a',\n    \
             modify column `b c` decimal(6,2) not null comment 'b' check (`b c` in (1,2)),\n    \
             modify column d int null comment 'said',\n    modify column e int null"
        );
        assert_eq!(
            keeping_comments("alter table t modify column a int", found),
            "alter table t modify column a int comment 'it''s a'"
        );
        assert_eq!(keeping_comments("alter table t add column a int", found), "alter table t add column a int");
    }
}
