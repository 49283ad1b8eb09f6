//! The answer to a question about rows, in words.

use super::question::{About, Count, Keyed, Question};

impl Question {
    /// What was counted; nothing where there are no such rows.
    pub fn answer(&self, count: Count) -> Option<String> {
        let Count { found, all } = count;
        if found == 0 {
            return None;
        }
        let table = &self.table;
        let one = found == 1;
        let verb = |singular: &'static str, plural: &'static str| if one { singular } else { plural };
        let (rows, in_rows) = match (found == all, one) {
            (true, true) => (format!("the one row of {table}"), "the one row".to_owned()),
            (true, false) if all == 2 => (format!("both rows of {table}"), "both rows".to_owned()),
            (true, false) => (format!("all {} rows of {table}", grouped(all)), format!("all {} rows", grouped(all))),
            (false, _) => {
                let of = format!("{} of {} rows", grouped(found), grouped(all));
                (format!("{of} of {table}"), of)
            }
        };
        let has = verb("has", "have");
        Some(match &self.about {
            About::Rows => format!("{rows} {} lost", verb("is", "are")),
            About::Required { column } => {
                format!("{table}.{column} is required, and nothing says what {in_rows} {}", verb("gets", "get"))
            }
            About::Values { column, default: None } => {
                format!("the {} of {table}.{column} {} lost in {in_rows}", verb("value", "values"), verb("is", "are"))
            }
            About::Values { column, default: Some(default) } => {
                let (value, is) = (verb("value", "values"), verb("is", "are"));
                format!(
                    "the {value} of {table}.{column} {is} lost in {in_rows}, where {} not {default}",
                    verb("it is", "they are")
                )
            }
            About::Missing { column } => format!("{table}.{column} becomes required, and {in_rows} {has} none"),
            About::Unfilled { column, .. } => {
                format!("{table}.{column} is required, and its expression gives {in_rows} none")
            }
            About::Misfit { column, to, .. } => match self.matter {
                super::Matter::Refuses => format!("{table}.{column} does not fit {to} in {in_rows}"),
                super::Matter::Loses => format!("{table}.{column} is rounded or cut to fit {to} in {in_rows}"),
                super::Matter::Tells => format!("{table}.{column} does not fit {to} in {in_rows}, and stays as it is"),
            },
            About::Trimmed { column, to, .. } => {
                format!("{table}.{column} loses the spaces at its end to fit {to} in {in_rows}")
            }
            About::Shared { columns, .. } => {
                let once = if columns.iter().any(|column| column.fill.is_some()) { ", once it is filled" } else { "" };
                let columns: Vec<_> = columns.iter().map(|column| column.name.as_str()).collect();
                format!("{rows} {} {} with another row{once}", verb("shares", "share"), columns.join(", "))
            }
            About::Dangling { columns, referenced, .. } => {
                let references = verb("references", "reference");
                format!("{rows} {references} by {} what {referenced} does not have", columns.join(", "))
            }
            About::Unmet { condition } => format!("{rows} {} not meet ({condition})", verb("does", "do")),
            About::Words { column, words, .. } => {
                format!("{table}.{column} is {} in {in_rows}, and no such word is left", words.join(" or "))
            }
            About::Unkept { column, .. } => {
                format!("{rows} {} written since {column} was put aside, or got another key", verb("was", "were"))
            }
            About::Keyed { why: Keyed::Come, .. } => {
                format!("{rows} {has} the key of a row that comes")
            }
            About::Keyed { why: Keyed::Go { referenced, cascades: true }, .. } => {
                format!(
                    "{rows} {} rows of {referenced} that go, and {} deleted with them",
                    verb("references", "reference"),
                    verb("is", "are")
                )
            }
            About::Keyed { why: Keyed::Go { referenced, cascades: false }, .. } => {
                format!("{rows} {} rows of {referenced} that go", verb("references", "reference"))
            }
        })
    }
}

/// A number with a comma between each three digits.
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut written = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            written.push(',');
        }
        written.push(digit);
    }
    written
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::Matter;

    #[test]
    fn answers_are_sentences() {
        #[track_caller]
        fn case(about: About, found: u64, all: u64, expected: Option<&str>) {
            let question = Question { table: "hive".into(), about, matter: Matter::Refuses, besides: None };
            assert_eq!(question.answer(Count { found, all }).as_deref(), expected);
        }
        let missing = || About::Missing { column: "site".into() };
        case(missing(), 0, 1204, None);
        case(missing(), 1, 1204, Some("hive.site becomes required, and 1 of 1,204 rows has none"));
        case(missing(), 3, 1204, Some("hive.site becomes required, and 3 of 1,204 rows have none"));
        case(missing(), 1_204_000, 1_204_000, Some("hive.site becomes required, and all 1,204,000 rows have none"));
        case(About::Rows, 1, 1, Some("the one row of hive is lost"));
        case(About::Rows, 2, 2, Some("both rows of hive are lost"));
        let long = About::Misfit { column: "code".into(), condition: String::new(), to: "text(8)".into() };
        case(long, 3, 1204, Some("hive.code does not fit text(8) in 3 of 1,204 rows"));
    }

    #[test]
    fn long_numbers_are_grouped() {
        #[track_caller]
        fn case(number: u64, expected: &str) {
            assert_eq!(grouped(number), expected);
        }
        case(0, "0");
        case(999, "999");
        case(1000, "1,000");
        case(12_345_678, "12,345,678");
    }
}
