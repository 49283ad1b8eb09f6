//! Questions about rows as SQL, which is nearly the same everywhere.

use super::Dialect;
use crate::plan::{About, Compared, Question};
use crate::sql::in_parentheses;

/// See [`Dialect::count`].
pub(super) fn count(dialect: Dialect, question: &Question) -> String {
    let table = dialect.quote_object(&question.table);
    let quote = |name: &str| dialect.quote(name);
    // Those that are gone by then do not count.
    let stays = question.besides.as_ref().map(|gone| format!("not ({})", keyed(dialect, &gone.columns, &gone.values)));
    let and_stays = stays.as_ref().map_or(String::new(), |stays| format!(" and {stays}"));
    let counted = |condition: &str| {
        let condition = in_parentheses(condition);
        format!("select coalesce(sum(case when {condition}{and_stays} then 1 else 0 end), 0), count(*) from {table}")
    };
    match &question.about {
        About::Required { .. } | About::Rows => match &stays {
            None => format!("select count(*), count(*) from {table}"),
            Some(stays) => {
                format!("select coalesce(sum(case when {stays} then 1 else 0 end), 0), count(*) from {table}")
            }
        },
        About::Values { column, default: None } => counted(&format!("{} is not null", quote(column))),
        About::Values { column, default: Some(default) } => counted(&format!("{} <> {default}", quote(column))),
        About::Missing { column } => counted(&format!("{} is null", quote(column))),
        About::Unfilled { missing, expression, .. } => {
            let missing = missing.as_ref().map_or(String::new(), |column| format!("{} is null and ", quote(column)));
            counted(&format!("{missing}{} is null", in_parentheses(expression)))
        }
        About::Misfit { condition, .. } | About::Trimmed { condition, .. } => counted(condition),
        About::Unmet { condition } => counted(&format!("not {}", in_parentheses(condition))),
        About::Words { column, words, is_array } => {
            let literals = words.iter().map(|word| dialect.literal(word));
            let literals = literals.collect::<Vec<_>>().join(", ");
            let column = quote(column);
            match is_array {
                true => counted(&format!("{column}::text[] && array[{literals}]::text[]")),
                false => counted(&format!("{column} in ({literals})")),
            }
        }
        About::Keyed { key, keys, .. } => counted(&keyed(dialect, key, keys)),
        About::Shared { columns, among } => {
            let compared: Vec<_> = columns.iter().map(|column| compared(dialect, "", column)).collect();
            let there: Vec<_> = compared.iter().map(|value| format!("{value} is not null")).collect();
            let among = among.as_ref().map_or(String::new(), |condition| format!(" and {}", in_parentheses(condition)));
            format!(
                "select coalesce(sum(shared.found), 0), (select count(*) from {table}) from (select count(*) as found \
                 from {table} where {}{among}{and_stays} group by {} having count(*) > 1) as shared",
                there.join(" and "),
                compared.join(", ")
            )
        }
        About::Dangling { columns, referenced, keys } => {
            let same: Vec<_> = columns
                .iter()
                .zip(keys)
                .map(|(column, key)| {
                    format!("{} = referencing.{}", compared(dialect, "referenced.", key), quote(column))
                })
                .collect();
            let there: Vec<_> =
                columns.iter().map(|column| format!("referencing.{} is not null", quote(column))).collect();
            format!(
                "select count(*), (select count(*) from {table}) from {table} referencing where {}{and_stays} \
                 and not exists (select 1 from {} referenced where {})",
                there.join(" and "),
                dialect.quote_object(referenced),
                same.join(" and ")
            )
        }
        About::Unkept { kept, key, .. } => {
            let same: Vec<_> =
                key.iter().map(|(now, then)| format!("kept.{} = here.{}", quote(then), quote(now))).collect();
            format!(
                "select count(*), (select count(*) from {table}) from {table} here where not exists \
                 (select 1 from {} kept where {}){and_stays}",
                quote(kept),
                same.join(" and ")
            )
        }
    }
}

/// A column of a table, as it is compared.
fn compared(dialect: Dialect, table: &str, column: &Compared) -> String {
    let name = format!("{table}{}", dialect.quote(&column.name));
    if let Some(value) = &column.fill {
        return format!("coalesce({name}, ({value}))");
    }
    match &column.collation {
        Some(collation) => dialect.collated(&name, collation),
        None => name,
    }
}

/// True of rows with one of these keys.
fn keyed(dialect: Dialect, key: &[String], keys: &[Vec<String>]) -> String {
    let names: Vec<_> = key.iter().map(|name| dialect.quote(name)).collect();
    match names.as_slice() {
        [only] => {
            let values: Vec<_> = keys.iter().flatten().map(String::as_str).collect();
            format!("{only} in ({})", values.join(", "))
        }
        _ => {
            let one = |values: &Vec<String>| {
                let same: Vec<_> = names.iter().zip(values).map(|(name, value)| format!("{name} = {value}")).collect();
                format!("({})", same.join(" and "))
            };
            let all: Vec<_> = keys.iter().map(one).collect();
            all.join(" or ")
        }
    }
}
