//! How a table of a file is partitioned, in the words in which the catalogue is read (MariaDB, "Partitioning Types").

use std::collections::BTreeMap;

use super::{Reading, text_of};
use crate::dialect::mariadb::quote::{literal, quote};
use crate::dialect::mariadb::{Flavor, SYNTAX};
use crate::dialect::reading::{OrStop, Stop};
use crate::sql::{Cursor, Expression, Lexer, Token, TokenKind};

/// What can be said of a part in numbers, in the order in which the server says it.
const NUMBERS: [&str; 3] = ["nodegroup", "max_rows", "min_rows"];

/// By what a table, or a part of one, is divided.
struct By {
    method: String,
    expression: String,
    /// How many parts there are, where none is named.
    count: Option<i64>,
}

/// A part, with the parts that it has itself.
struct Partition {
    name: String,
    values: Option<Values>,
    comment: Option<String>,
    /// Numbers that are said of it, by their words.
    numbers: BTreeMap<&'static str, i64>,
    parts: Vec<Partition>,
}

impl Partition {
    /// Whether there is more to it than its name and its values.
    fn is_rich(&self) -> bool {
        self.comment.is_some() || !self.numbers.is_empty() || !self.parts.is_empty()
    }
}

enum Values {
    Default,
    /// Less than everything that is left; in parentheses where there is a list of columns.
    LessThanMaximum,
    LessThan(String),
    In(String),
}

/// Reads what stands behind `partition by`; the option of the table.
pub(super) fn read(cursor: &mut Cursor<'_>, engine: &str, flavor: Flavor) -> Reading<String> {
    let by = by(cursor, "partitions", flavor)?;
    let below = match cursor.eat_all(&["subpartition", "by"]) {
        true => Some(self::by(cursor, "subpartitions", flavor)?),
        false => None,
    };
    let parts = if cursor.is("(") { parts(cursor, "partition")? } else { Vec::new() };
    let is_rich = below.is_some() || parts.iter().any(Partition::is_rich);
    Ok(if is_rich { as_shown(&by, below.as_ref(), &parts, engine) } else { as_listed(&by, &parts) })
}

/// The same of a text; nothing where it is not understood.
pub(in crate::dialect::mariadb) fn in_words_of_catalogue(text: &str, engine: &str, flavor: Flavor) -> Option<String> {
    let mut cursor = Cursor::new(text, SYNTAX);
    read(&mut cursor, engine, flavor).ok().filter(|_| cursor.is_at_end())
}

/// The same of what MariaDB's `show create table` has behind `PARTITION BY`; as it stands where there is more to it.
pub fn told(text: &str) -> String {
    let mut cursor = Cursor::new(text, SYNTAX);
    let mut listed = || -> Option<String> {
        let by = by(&mut cursor, "partitions", Flavor::Mariadb).ok()?;
        let parts = if cursor.is("(") { parts(&mut cursor, "partition").ok()? } else { Vec::new() };
        (cursor.is_at_end() && !parts.iter().any(Partition::is_rich)).then(|| as_listed(&by, &parts))
    };
    listed().unwrap_or_else(|| format!("partition by {}", in_one_line(text)))
}

fn by(cursor: &mut Cursor<'_>, counted: &str, flavor: Flavor) -> Reading<By> {
    let method = cursor.until(|cursor| cursor.is("(")).here()?.to_ascii_lowercase();
    let method = method.split_whitespace().collect::<Vec<_>>().join(" ");
    let expression = Expression::read(cursor.parenthesised().here()?, SYNTAX);
    // Both are reserved, and no columns (MariaDB, "Reserved Words").
    let is_operator = |name: &str| ["mod", "div"].iter().any(|word| word.eq_ignore_ascii_case(name));
    let expression =
        expression.with_columns(|column| (!is_operator(&column.name)).then(|| format!("`{}`", column.name)));
    let expression = match method.as_str() {
        // A list of columns.
        "key" | "linear key" | "range columns" | "list columns" => tight(expression.text()),
        _ if flavor == Flavor::Mysql => {
            let mut cursor = Cursor::new(expression.text(), SYNTAX);
            let bracketed = sum(&mut cursor).filter(|_| cursor.is_at_end());
            bracketed.unwrap_or_else(|| expression.text().to_owned())
        }
        _ => in_own_words(expression.text()),
    };
    let count = if cursor.eat(counted) { Some(cursor.number().here()?) } else { None };
    Ok(By { method, expression, count })
}

fn parts(cursor: &mut Cursor<'_>, word: &str) -> Reading<Vec<Partition>> {
    let mut parts = Vec::new();
    cursor.expect("(").here()?;
    while !cursor.eat(")") {
        cursor.expect(word).here()?;
        let name = cursor.name().here()?;
        let values = values(cursor)?;
        let mut part = Partition { name, values, comment: None, numbers: BTreeMap::new(), parts: Vec::new() };
        while !matches!(cursor.peek(), "," | ")") {
            if cursor.eat("comment") {
                cursor.eat("=");
                part.comment = Some(text_of(cursor).here()?).filter(|text| !text.is_empty());
            } else if cursor.is("(") {
                part.parts = self::parts(cursor, "subpartition")?;
            } else if let Some(word) = NUMBERS.into_iter().find(|word| cursor.eat(word)) {
                cursor.eat("=");
                part.numbers.insert(word, cursor.number().here()?);
            } else if cursor.is_one_of(&["engine", "storage"]) {
                // The engine is the table's.
                cursor.eat("storage");
                cursor.skip();
                cursor.eat("=");
                cursor.skip();
            } else {
                return Err(Stop::Here);
            }
        }
        parts.push(part);
        cursor.eat(",");
    }
    Ok(parts)
}

fn values(cursor: &mut Cursor<'_>) -> Reading<Option<Values>> {
    if cursor.eat("default") {
        return Ok(Some(Values::Default));
    }
    // By hash or key a part has only a name.
    if !cursor.eat("values") {
        return Ok(None);
    }
    if cursor.eat_all(&["less", "than"]) {
        if cursor.eat("maxvalue") {
            return Ok(Some(Values::LessThanMaximum));
        }
        return Ok(Some(match bound(cursor.parenthesised().here()?) {
            one if one == "MAXVALUE" => Values::LessThanMaximum,
            one => Values::LessThan(one),
        }));
    }
    cursor.expect("in").here()?;
    Ok(Some(Values::In(listed(cursor.parenthesised().here()?))))
}

/// As it is put together from `information_schema.partitions`.
fn as_listed(by: &By, parts: &[Partition]) -> String {
    let head = format!("partition by {} ({})", by.method, by.expression);
    // Those that are called as the server calls them need not be said.
    let is_counted = |(at, part): (usize, &Partition)| part.values.is_none() && part.name == format!("p{at}");
    if parts.iter().enumerate().all(is_counted) {
        let named = i64::try_from(parts.len()).ok().filter(|count| *count > 0);
        let count = by.count.or(named).filter(|count| *count > 1);
        return head + &count.map(|count| format!(" partitions {count}")).unwrap_or_default();
    }
    let part = |part: &Partition| {
        let values = match &part.values {
            None => String::new(),
            Some(Values::Default) => " default".to_owned(),
            Some(Values::LessThanMaximum) => " values less than maxvalue".to_owned(),
            Some(Values::LessThan(bound)) => format!(" values less than ({bound})"),
            Some(Values::In(list)) => format!(" values in ({list})"),
        };
        format!("partition {}{values}", quote(&part.name))
    };
    format!("{head} ({})", parts.iter().map(part).collect::<Vec<_>>().join(", "))
}

/// As `show create table` has it, where there is more to it.
fn as_shown(by: &By, below: Option<&By>, parts: &[Partition], engine: &str) -> String {
    let engine = match engine.to_ascii_lowercase().as_str() {
        "innodb" => "InnoDB",
        "myisam" => "MyISAM",
        "aria" => "Aria",
        _ => engine,
    };
    let division = |by: &By, word: &str| {
        let space = if by.method.ends_with("columns") { "" } else { " " };
        let count = by.count.filter(|_| parts.is_empty() || word == "SUBPARTITION");
        let count = count.map(|count| format!(" {word}S {count}")).unwrap_or_default();
        format!("{}{space}({}){count}", by.method.to_ascii_uppercase(), by.expression)
    };
    let is_of_columns = by.method.ends_with("columns");
    let behind = |part: &Partition| {
        let comment = part.comment.as_ref().map(|text| format!(" COMMENT = {}", literal(text)));
        let number = |word| part.numbers.get(word).map(|number| format!(" {} = {number}", str::to_uppercase(word)));
        let numbers: String = NUMBERS.into_iter().filter_map(number).collect();
        format!("{numbers}{} ENGINE = {engine}", comment.unwrap_or_default())
    };
    let named = |name: &str| format!("`{}`", name.replace('`', "``"));
    let part = |part: &Partition| {
        let values = match &part.values {
            None => String::new(),
            Some(Values::Default) => " DEFAULT".to_owned(),
            Some(Values::LessThanMaximum) if is_of_columns => " VALUES LESS THAN (MAXVALUE)".to_owned(),
            Some(Values::LessThanMaximum) => " VALUES LESS THAN MAXVALUE".to_owned(),
            Some(Values::LessThan(bound)) => format!(" VALUES LESS THAN ({bound})"),
            Some(Values::In(list)) => format!(" VALUES IN ({list})"),
        };
        let head = format!("PARTITION {}{values}", named(&part.name));
        if part.parts.is_empty() {
            return head + &behind(part);
        }
        let below = part.parts.iter().map(|one| format!("SUBPARTITION {}{}", named(&one.name), behind(one)));
        format!("{head} ({})", below.collect::<Vec<_>>().join(", "))
    };
    let below = below.map(|below| format!(" SUBPARTITION BY {}", division(below, "SUBPARTITION"))).unwrap_or_default();
    let parts = parts.iter().map(part).collect::<Vec<_>>().join(", ");
    format!("partition by {}{below} ({parts})", division(by, "PARTITION"))
}

/// A statement without line breaks between its words.
fn in_one_line(text: &str) -> String {
    let word = |token: Token| match token.kind {
        TokenKind::Space => " ",
        _ => token.span.text(text),
    };
    Lexer::new(text, 0, SYNTAX).map(word).collect()
}

/// A list without spaces behind its commas, as the server writes it.
fn tight(list: &str) -> String {
    let part = |part: &str| match part.strip_prefix('(').and_then(|rest| rest.strip_suffix(')')) {
        Some(inner) => format!("({})", tight(inner)),
        None => part.to_owned(),
    };
    arguments(list).into_iter().map(part).collect::<Vec<_>>().join(",")
}

/// The bound of a range, with days that the server works out.
fn bound(text: &str) -> String {
    let mut cursor = Cursor::new(text, SYNTAX);
    let days = cursor.eat("to_days").then(|| cursor.parenthesised()).flatten().filter(|_| cursor.is_at_end());
    let date = days.and_then(|inner| Cursor::new(inner, SYNTAX).text());
    if let Some(days) = date.as_deref().and_then(day_number) {
        return days.to_string();
    }
    let text = tight(text);
    let one = |one: &str| if one.eq_ignore_ascii_case("maxvalue") { "MAXVALUE".to_owned() } else { one.to_owned() };
    if text.contains('\'') { text } else { text.split(',').map(one).collect::<Vec<_>>().join(",") }
}

/// The values of a list, null before the others.
fn listed(text: &str) -> String {
    let list = tight(text);
    let is_null = |one: &&str| one.eq_ignore_ascii_case("null");
    if list.contains(['(', '\'']) || !list.split(',').any(|one| is_null(&one)) {
        return list;
    }
    let others: Vec<&str> = list.split(',').filter(|one| !is_null(one)).collect();
    format!("NULL{}{}", if others.is_empty() { "" } else { "," }, others.join(","))
}

/// The number of a day of the Gregorian calendar since the year 0 (MariaDB, "TO_DAYS").
fn day_number(date: &str) -> Option<i64> {
    let day = date.get(..10).filter(|day| date.len() == 10 || date[day.len()..].starts_with(' '))?;
    let mut numbers = day.split('-').map(|part| part.parse::<i64>().ok());
    let (year, month, day) = (numbers.next()??, numbers.next()??, numbers.next()??);
    // Years from March on, so that the odd day comes last.
    let (shifted, months) = if month > 2 { (year, month - 3) } else { (year - 1, month + 9) };
    let leaps = shifted.div_euclid(4) - shifted.div_euclid(100) + shifted.div_euclid(400);
    Some(365 * shifted + leaps + (153 * months + 2) / 5 + day + 59)
}

/// An expression with its functions and operators as the server writes them.
fn in_own_words(text: &str) -> String {
    let mut cursor = Cursor::new(text, SYNTAX);
    let mut words = String::new();
    let mut end = None;
    let mut is_behind_operand = false;
    while !cursor.is_at_end() {
        let (place, word) = (cursor.place(), cursor.peek());
        let is_apart = end.is_some_and(|end| end < place.start);
        let is_word = cursor.kind() == TokenKind::Word;
        let is_call = is_word && cursor.ahead(1) == "(";
        let is_infix = is_word && is_behind_operand && ["mod", "div"].iter().any(|one| word.eq_ignore_ascii_case(one));
        let operator = match word {
            "%" => Some("MOD".to_owned()),
            "+" | "*" | "/" => Some(word.to_owned()),
            "-" if is_behind_operand => Some(word.to_owned()),
            _ if is_infix => Some(word.to_ascii_uppercase()),
            _ => None,
        };
        is_behind_operand = operator.is_none() && !matches!(word, "(" | "," | "-") && !is_call;
        if is_call && word.eq_ignore_ascii_case("mod") {
            cursor.skip();
            let inner = cursor.parenthesised().unwrap_or_default();
            let of: Vec<String> = arguments(inner).into_iter().map(in_own_words).collect();
            words.push_str(&of.join(" MOD "));
            is_behind_operand = true;
            end = Some(cursor.place().start);
            continue;
        }
        match operator {
            Some(operator) => words = format!("{} {operator} ", words.trim_end()),
            None => {
                let space = if is_apart && !words.ends_with(' ') { " " } else { "" };
                words.push_str(space);
                words.push_str(&if is_call { word.to_ascii_lowercase() } else { word.to_owned() });
            }
        }
        end = Some(place.end);
        cursor.skip();
    }
    words
}

/// A sum as MySQL writes it, everything in parentheses (seen on 9.7); nothing of what is more than arithmetic.
fn sum(cursor: &mut Cursor<'_>) -> Option<String> {
    let mut sum = product(cursor)?;
    while let Some(operator) = ["+", "-"].into_iter().find(|one| cursor.eat(one)) {
        sum = format!("({sum} {operator} {})", product(cursor)?);
    }
    Some(sum)
}

fn product(cursor: &mut Cursor<'_>) -> Option<String> {
    const OPERATORS: [(&str, &str); 5] = [("*", "*"), ("/", "/"), ("%", "%"), ("mod", "%"), ("div", "DIV")];
    let mut product = operand(cursor)?;
    while let Some((_, operator)) = OPERATORS.into_iter().find(|(word, _)| cursor.eat(word)) {
        product = format!("({product} {operator} {})", operand(cursor)?);
    }
    Some(product)
}

fn operand(cursor: &mut Cursor<'_>) -> Option<String> {
    if cursor.eat("-") {
        return Some(format!("-({})", operand(cursor)?));
    }
    if cursor.eat("(") {
        let sum = sum(cursor)?;
        return cursor.expect(")").map(|()| sum);
    }
    let word = cursor.peek();
    let is_call = cursor.kind() == TokenKind::Word && cursor.ahead(1) == "(";
    if !is_call {
        let is_plain = matches!(cursor.kind(), TokenKind::Word | TokenKind::Quoted | TokenKind::Number);
        cursor.skip();
        return is_plain.then(|| word.to_owned());
    }
    cursor.skip();
    cursor.skip();
    let mut arguments = Vec::new();
    while !cursor.eat(")") {
        arguments.push(sum(cursor)?);
        (cursor.eat(",") || cursor.is(")")).then_some(())?;
    }
    match (word.to_ascii_lowercase().as_str(), arguments.as_slice()) {
        ("mod", [divided, divisor]) => Some(format!("({divided} % {divisor})")),
        (word, arguments) => Some(format!("{word}({})", arguments.join(","))),
    }
}

/// What stands between the commas.
fn arguments(list: &str) -> Vec<&str> {
    let mut cursor = Cursor::new(list, SYNTAX);
    let mut arguments = Vec::new();
    while !cursor.is_at_end() {
        arguments.push(cursor.until(|cursor| cursor.is(",")).unwrap_or_default().trim());
        if !cursor.eat(",") {
            break;
        }
    }
    arguments
}

#[cfg(test)]
mod tests {
    use super::*;

    #[track_caller]
    fn case(written: &str, expected: &str) {
        case_on(Flavor::Mariadb, written, expected);
    }

    #[track_caller]
    fn case_on(flavor: Flavor, written: &str, expected: &str) {
        let mut cursor = Cursor::new(written, SYNTAX);
        let read =
            read(&mut cursor, "innodb", flavor).unwrap_or_else(|_| panic!("{written}: stopped at {}", cursor.peek()));
        assert_eq!(read, expected, "{written}");
    }

    /// As MySQL 9.7 tells them.
    #[test]
    fn partitions_of_mysql_are_said_as_its_catalogue_says_them() {
        let case = |written: &str, expected: &str| case_on(Flavor::Mysql, written, expected);
        case("hash (id % 3 - 1) partitions 3", "partition by hash (((`id` % 3) - 1)) partitions 3");
        case("HASH (((`id` % 3) - 1)) PARTITIONS 3", "partition by hash (((`id` % 3) - 1)) partitions 3");
        case("hash(Mod(id, 3))", "partition by hash ((`id` % 3))");
        case("hash (id div 2 + id * 3)", "partition by hash (((`id` DIV 2) + (`id` * 3)))");
        case("hash (-id)", "partition by hash (-(`id`))");
        case("linear hash (YEAR(d)) partitions 2", "partition by linear hash (year(`d`)) partitions 2");
        case("hash (id & 3)", "partition by hash (`id` & 3)");
    }

    /// As MariaDB 10.11 tells them.
    #[test]
    fn partitions_are_said_as_the_catalogue_says_them() {
        case("hash (id)", "partition by hash (`id`)");
        case("hash (id) partitions 1", "partition by hash (`id`)");
        case("hash (id % 7+1) partitions 3", "partition by hash (`id` MOD 7 + 1) partitions 3");
        case("hash (id mod 3) partitions 3", "partition by hash (`id` MOD 3) partitions 3");
        case("hash (MOD(id,3)) partitions 3", "partition by hash (`id` MOD 3) partitions 3");
        case("hash (id Div 3-1) partitions 3", "partition by hash (`id` DIV 3 - 1) partitions 3");
        case("hash (id - -3+Abs(id)*(id-1))", "partition by hash (`id` - -3 + abs(`id`) * (`id` - 1))");
        case("linear key (id, k) partitions 2", "partition by linear key (`id`,`k`) partitions 2");
        case("hash (id) (partition p0, partition p1)", "partition by hash (`id`) partitions 2");
        case("hash (id) (partition a, partition b)", "partition by hash (`id`) (partition a, partition b)");
        case(
            "RANGE (TO_DAYS(d)) (PARTITION a VALUES LESS THAN (TO_DAYS('2024-01-01')), partition z values less than (maxvalue) engine=InnoDB)",
            "partition by range (to_days(`d`)) (partition a values less than (739251), partition z values less than maxvalue)",
        );
        case(
            "range columns (a, b) (partition p values less than (2, maxvalue))",
            "partition by range columns (`a`,`b`) (partition p values less than (2,MAXVALUE))",
        );
        case(
            "list (k) (partition a values in (1, 2, null), partition d default)",
            "partition by list (`k`) (partition a values in (NULL,1,2), partition d default)",
        );
        case(
            "list columns (a, b) (partition p values in ((1, 'x, y'), (2, 'z')))",
            "partition by list columns (`a`,`b`) (partition p values in ((1,'x, y'),(2,'z')))",
        );
        case(
            "range (year(d)) subpartition by hash (to_days(d)) subpartitions 2 (partition p values less than maxvalue)",
            "partition by RANGE (year(`d`)) SUBPARTITION BY HASH (to_days(`d`)) SUBPARTITIONS 2 (PARTITION `p` VALUES LESS THAN MAXVALUE ENGINE = InnoDB)",
        );
        case(
            "list columns (c) (partition a values in ('x', 'y') comment 'first')",
            "partition by LIST COLUMNS(`c`) (PARTITION `a` VALUES IN ('x','y') COMMENT = 'first' ENGINE = InnoDB)",
        );
        case(
            "range (id) (partition a values less than (9) max_rows=100 nodegroup 2)",
            "partition by RANGE (`id`) (PARTITION `a` VALUES LESS THAN (9) NODEGROUP = 2 MAX_ROWS = 100 ENGINE = InnoDB)",
        );
    }

    /// As MariaDB 10.11 has it there.
    #[test]
    fn partitions_are_read_from_the_servers_own_statement() {
        let part = "PARTITION `p` VALUES IN (0) ENGINE = InnoDB";
        let rest = "PARTITION `d` DEFAULT ENGINE = InnoDB";
        assert_eq!(
            told(&format!("LIST (`a`)\n({part},\n {rest})")),
            "partition by list (`a`) (partition p values in (0), partition d default)"
        );
        assert_eq!(
            told("RANGE (`a`)\n(PARTITION `p` VALUES LESS THAN (18446744073709551000) ENGINE = InnoDB)"),
            "partition by range (`a`) (partition p values less than (18446744073709551000))"
        );
        assert_eq!(told("HASH (`a`)\nPARTITIONS 1"), "partition by hash (`a`)");
        for rich in [
            "NODEGROUP = 0 ENGINE = InnoDB",
            "MAX_ROWS = 9 ENGINE = InnoDB",
            "DATA DIRECTORY = '/a  b' ENGINE = InnoDB",
        ] {
            let text = format!("LIST (`a`) (PARTITION `p` VALUES IN (0) {rich})");
            assert_eq!(told(&text.replace(") (", ")\n(")), format!("partition by {text}"));
        }
    }

    #[test]
    fn days_are_counted_as_the_server_counts_them() {
        assert_eq!(day_number("2024-01-01"), Some(739_251));
        assert_eq!(day_number("2024-02-29 10:00:00"), Some(739_310));
        assert_eq!(day_number("0000-03-01"), Some(60));
        assert_eq!(day_number("tomorrow"), None);
    }
}
