//! Rows that get their values in lots, each committed by itself.

use super::quote::quote;
use crate::dialect::Flavor;
use crate::plan::Batch;
use crate::sql::in_parentheses;

/// A loop along the key: each row is looked at once, and after an interruption only those are left that have no value yet.
/// MariaDB runs it as it stands (MariaDB 10.11, "BEGIN END", `begin not atomic`); MySQL has loops in procedures only (MySQL
/// 8.4, "Flow Control Statements"), so that one is made for the moment.
pub(super) fn fill(
    flavor: Flavor,
    table: &str,
    column: &str,
    expression: &str,
    untouched: &[String],
    batch: &Batch,
) -> Vec<String> {
    let (owner, name, value) = (quote(table), quote(column), in_parentheses(expression));
    let columns: Vec<String> = batch.key.iter().map(|one| quote(&one.name)).collect();
    let variables = |stem: &str| -> Vec<String> { (1..=columns.len()).map(|at| format!("oak_{stem}_{at}")).collect() };
    let (from, to) = (variables("from"), variables("to"));
    let declared: String = from
        .iter()
        .chain(&to)
        .zip(batch.key.iter().cycle())
        .map(|(variable, column)| {
            let collation = column.collation.as_ref().map(|name| format!(" collate {name}")).unwrap_or_default();
            let ty = match flavor {
                Flavor::Mariadb => format!("type of {owner}.{}", quote(&column.name)),
                Flavor::Mysql => format!("{}{collation}", column.ty.text()),
            };
            format!("    declare {variable} {ty};\n")
        })
        .collect();
    let list = columns.join(", ");
    let descending: Vec<String> = columns.iter().map(|one| format!("{one} desc")).collect();
    let kept: String = untouched.iter().map(|name| format!(", {0} = {0}", quote(name))).collect();
    let (since, behind, until) =
        (compared(&columns, ">=", &from), compared(&columns, ">", &to), compared(&columns, "<=", &to));
    let (into_from, into_to) = (from.join(", "), to.join(", "));
    let (rows, last) = (batch.rows, descending.join(", "));
    let body = format!(
        "    declare oak_done int default 0;\n{declared}    \
         declare continue handler for not found set oak_done = 1;\n    \
         select {list} into {into_from} from {owner} where {name} is null order by {list} limit 1;\n    \
         while oak_done = 0 do\n        \
         select {list} into {into_to} from (\n            \
         select {list} from {owner} where {since} and {name} is null order by {list} limit {rows}\n        \
         ) lot order by {last} limit 1;\n        \
         update {owner} set {name} = {value}{kept}\n        \
         where {since} and {until} and {name} is null;\n        \
         commit;\n        \
         select {list} into {into_from} from {owner} where {behind} and {name} is null order by {list} limit 1;\n    \
         end while;\nend"
    );
    match flavor {
        Flavor::Mariadb => vec![format!("begin not atomic\n{body}")],
        Flavor::Mysql => vec![
            "drop procedure if exists oak_fill".into(),
            format!("create procedure oak_fill()\nbegin\n{body}"),
            "call oak_fill()".into(),
            "drop procedure oak_fill".into(),
        ],
    }
}

/// Whether a key stands so to another one. Written out: the servers look nothing up by rows in parentheses.
fn compared(columns: &[String], operator: &str, values: &[String]) -> String {
    let (Some((column, columns)), Some((value, values))) = (columns.split_first(), values.split_first()) else {
        return "true".into();
    };
    if columns.is_empty() {
        return format!("{column} {operator} {value}");
    }
    let strict = &operator[..1];
    let rest = compared(columns, operator, values);
    format!("{column} {strict}= {value} and ({column} {strict} {value} or {rest})")
}
