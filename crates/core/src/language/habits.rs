//! Habits from SQL and from programming: what is typed out of them, and what stands for it in a declaration.
//!
//! A mistake knows what it expected where it gave up. Whoever typed it thinks of what it should mean: the line it
//! stands in says that better, and the help then is a text to type.

use super::mistake::{Mistake, MistakeKind};
use crate::Span;
use crate::nearest::nearest;
use crate::schema::Type;

/// What to type instead of a mistake in this text, where a habit or the line it stands in tells.
pub(super) fn instead(mistake: &Mistake, text: &str) -> Option<String> {
    let line = Line::around(text, mistake.span);
    match &mistake.kind {
        MistakeKind::Unexpected { wanted, found } => line.instead_of(wanted, found),
        MistakeKind::UnknownClause { word, .. } => clause(word),
        MistakeKind::UnknownItem { word, .. } => line.instead_of_item(word),
        MistakeKind::UnknownDeclaration { word, .. } => line.instead_of_declaration(word),
        MistakeKind::UpperCase { word } => line.instead_of_upper_case(word),
        MistakeKind::BadNumber { word } if last_word(line.before.trim_end_matches('(')) == "decimal" => {
            word.split_once('.').map(|(digits, places)| format!("write `decimal({digits}, {places})`"))
        }
        _ => None,
    }
}

/// The type that stands for one of SQL's with its arguments: `text(80)` for `varchar` and `(80)`.
fn whole_type_for(word: &str, arguments: &str) -> Option<String> {
    let numbers: Vec<&str> = arguments.trim_matches(['(', ')']).split(',').map(str::trim).collect();
    let word = word.to_ascii_lowercase();
    if word == "tinyint" && numbers == ["1"] {
        return Some("bool".into());
    }
    let portable = Type::meant_by(&word)?;
    let has_length = numbers.iter().all(|number| number.bytes().all(|byte| byte.is_ascii_digit()));
    Some(match (portable, &numbers[..]) {
        ("text" | "char" | "bytes" | "datetime" | "instant" | "time", [length]) if has_length => {
            format!("{portable}({length})")
        }
        ("decimal", [digits]) if has_length => format!("decimal({digits}, 0)"),
        ("decimal", [digits, places]) if has_length => format!("decimal({digits}, {places})"),
        _ => portable.to_owned(),
    })
}

/// What stands for a word where a clause was expected.
fn clause(word: &str) -> Option<String> {
    let told = match word.to_ascii_lowercase().as_str() {
        "not" | "required" => "a column is not null unless it says `null`: leave it away",
        "nullable" | "optional" => "write `null`",
        "auto_increment" | "autoincrement" | "autonumber" | "serial" => "write `identity`",
        "pk" | "key" => "write `primary key`",
        "fk" | "foreign" | "ref" => "write `references TABLE`",
        "index" => "write `index (column)` in a line of its own",
        "constraint" => "write `named NAME` behind `unique` or `references`",
        "comment" | "description" => "write `about \"…\"`",
        "unsigned" | "zerofill" => "write the provider's own type: `native \"int unsigned\" for mariadb`",
        "character" | "charset" => "write `option \"…\"`, or `collate \"…\"` for its collation",
        "as" | "computed" => "write `generated (…)`",
        "cascade" => "write `on delete cascade`",
        _ => return None,
    };
    Some(told.to_owned())
}

/// What a line is about, by the word that it begins with.
fn form(word: &str) -> Option<&'static str> {
    Some(match word {
        "table" => "table NAME { … }",
        "enum" => "enum NAME { one, another }",
        "primary" => "primary key (column, …)",
        "unique" => "unique (column, …)",
        "index" => "index (column, …)",
        "foreign" => "foreign key (column, …) references TABLE (column, …) on delete cascade",
        "check" => "check (expression)",
        "exclude" => "exclude using METHOD (…)",
        "rows" => "rows TABLE by (column, …) { … }",
        "sequence" => "sequence NAME from 1 by 1",
        "namespace" => "namespace NAME",
        "grant" => "grant select on TABLE to ROLE",
        "extension" => "extension NAME",
        _ => return None,
    })
}

/// A line with a mistake in it.
struct Line<'t> {
    /// From the first word of the line to the mistake.
    before: &'t str,
    /// From the mistake to the end of the line, without a comment.
    after: &'t str,
}

impl<'t> Line<'t> {
    fn around(text: &'t str, span: Span) -> Self {
        // What is missing at the end of a line is missing in this one.
        let at = span.start.min(text.len());
        let start = text[..at].rfind('\n').map_or(0, |end| end + 1);
        let end = text[at..].find(['\n', '#']).map_or(text.len(), |length| at + length);
        Self { before: text[start..at].trim(), after: text[at..end].trim() }
    }

    /// The word that the line begins with.
    fn first(&self) -> &'t str {
        first_word(if self.before.is_empty() { self.after } else { self.before })
    }

    /// The name and what follows it, where the line declares a column.
    fn column(&self) -> Option<(&'t str, &'t str)> {
        self.before.split_once(':').map(|(name, rest)| (name.trim(), rest.trim()))
    }

    fn instead_of(&self, wanted: &str, found: &str) -> Option<String> {
        let found = found.trim_matches('`');
        self.stray(found)
            .or_else(|| self.missing_colon(wanted, found))
            .or_else(|| self.other_type(wanted))
            .or_else(|| self.without_parentheses(wanted))
            .or_else(|| match wanted {
                "`,` or `)`" if found == "(" && matches!(self.first(), "index" | "unique") => {
                    self.in_parentheses_of_its_own()
                }
                "`,` or `)`" => Some("a comma comes before another one, and `)` behind the last".into()),
                "`key`" => Some(format!("write `{} key`", last_word(self.before))),
                "`on`" | "`to`" if self.first() == "grant" => self.grant(found),
                "the end of the line"
                    if self.first() == "domain" && matches!(found, "default" | "not" | "null" | "collate") =>
                {
                    Some("a domain has checks alone: say it of the columns, or declare an `object \"domain\"`".into())
                }
                "the end of the line" if found == "(" && matches!(last_word(self.before), "now" | "today") => {
                    Some(format!("write `{}`, without parentheses", last_word(self.before)))
                }
                "the end of the line" if self.column().is_some() && found.starts_with(['\'', '0', '1']) => {
                    Some(format!("a default is a clause: `, default {found}`"))
                }
                "a value" => {
                    let word = found.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
                    let word = word.filter(|word| matches!(*word, "now" | "today" | "true" | "false" | "null"));
                    word.map(|word| format!("write `{word}`, without quotes"))
                }
                "a table" if last_word(self.before) == "references" => {
                    let (table, _) = split_arguments(self.after);
                    Some(format!("write `references {}`", table.trim_matches(['(', ')'])))
                }
                "a collation in double quotes" | "a description in double quotes" | "an option in double quotes" => {
                    Some(format!("write `{} \"{}\"`", last_word(self.before), found.trim_matches('\'')))
                }
                "`|` or the end of the line" if found == "," => {
                    let values: Vec<&str> = [self.before, self.after].iter().flat_map(|part| part.split(',')).collect();
                    let values: Vec<&str> =
                        values.into_iter().map(str::trim).filter(|value| !value.is_empty()).collect();
                    Some(format!("bars stand between values: `{}`", values.join(" | ")))
                }
                _ if wanted.ends_with(" value") || wanted.ends_with(" values") => {
                    Some("each line has a value for every column of the head, `null` where there is none".into())
                }
                "a number" => {
                    let ty = self.before.strip_suffix('(').map(last_word).filter(|ty| matches!(*ty, "text" | "bytes"));
                    ty.map(|ty| format!("write `{ty}`, which has no limit"))
                }
                _ if wanted.starts_with("`,` or the end") && self.column().is_some_and(|(_, ty)| ty == "enum") => {
                    Some(format!("an enum is a type by its name alone: write `{found}`"))
                }
                _ if wanted.starts_with("`,` or the end") => {
                    clause(found).or_else(|| (found == "primary").then(|| "write `, primary key`".into()))
                }
                _ if wanted.starts_with("`cascade`") => {
                    let action = nearest(found, ["cascade", "restrict", "no action", "set null", "set default"]);
                    action.map(|action| format!("did you mean `{action}`?"))
                }
                _ => None,
            })
            .or_else(|| self.program())
            .or_else(|| {
                // What a help of its own says better.
                let is_known = wanted.starts_with("`,`") || wanted == "a value" && found.starts_with('"');
                let form = form(self.first()).filter(|_| !is_known && self.column().is_none())?;
                Some(format!("the form is `{form}`"))
            })
    }

    /// Privileges for which there is no clause.
    fn grant(&self, found: &str) -> Option<String> {
        let what = match last_word(self.before) {
            _ if found == "(" => "single columns",
            "namespace" | "schema" => "namespaces",
            "routine" | "function" | "procedure" => "routines",
            _ if found == "privileges" => return Some("write `all`".into()),
            _ => return None,
        };
        Some(format!("privileges on {what} are an `object \"grant\"`, with its SQL between ``` and ```"))
    }

    /// The key of an index that is an expression.
    fn in_parentheses_of_its_own(&self) -> Option<String> {
        let (_, call) = self.before.rsplit_once(['(', ','])?;
        let (arguments, _) = split_arguments(self.after);
        Some(format!("an expression stands in parentheses of its own: `({}{arguments})`", call.trim()))
    }

    /// What is SQL between fences.
    fn program(&self) -> Option<String> {
        let head = match self.first() {
            "view" => "view NAME",
            "materialized" => "materialized view NAME",
            "trigger" => "trigger NAME on TABLE",
            "routine" => "routine NAME",
            "object" => "object \"KIND\" NAME",
            _ => return None,
        };
        Some(format!("write `{head}`, and its SQL on lines of its own between ``` and ```"))
    }

    /// Signs that mean something elsewhere.
    fn stray(&self, found: &str) -> Option<String> {
        match found {
            ";" => Some("the end of the line ends it: leave `;` away".into()),
            "-" | "/" if ["--", "//", "/*"].iter().any(|sign| self.after.starts_with(sign)) => {
                Some("a comment begins with `#` and ends with its line".into())
            }
            "?" => {
                let (_, ty) = self.column()?;
                Some(format!("what may be null says so: `{ty}, null`"))
            }
            "=" => {
                let (_, ty) = self.column()?;
                let value = self.after.trim_start_matches('=').trim();
                match last_word(ty) {
                    "default" => Some(format!("write `default {value}`")),
                    _ => Some(format!("a default is a clause: `, default {value}`")),
                }
            }
            "`" => Some("a name with other signs stands in double quotes".into()),
            _ => None,
        }
    }

    /// `id int64` for `id: int64`.
    fn missing_colon(&self, wanted: &str, found: &str) -> Option<String> {
        if wanted != "`:`" {
            return None;
        }
        let name = last_word(self.before);
        let rest = &self.after[found.len().min(self.after.len())..];
        let (arguments, more) = split_arguments(rest);
        let ty = whole_type_for(found, arguments).unwrap_or_else(|| format!("{found}{arguments}"));
        let clauses = match more.trim_start_matches(',').trim().is_empty() {
            true => "",
            false => ", and a comma before each clause",
        };
        Some(format!("write `{name}: {ty}`{clauses}"))
    }

    /// `varchar(80)` for `text(80)`.
    fn other_type(&self, wanted: &str) -> Option<String> {
        if wanted != "a portable type" {
            return None;
        }
        let word = first_word(self.after);
        let (arguments, _) = split_arguments(&self.after[word.len()..]);
        if word.eq_ignore_ascii_case("enum") {
            let name = self.column().map_or("kind", |(name, _)| name);
            let words = arguments.trim_matches(['(', ')']);
            return Some(format!(
                "declare it beside the table, `enum {name} {{ {words} }}`, and write its name here: `{name}`"
            ));
        }
        match whole_type_for(word, arguments) {
            Some(portable) => Some(format!("write `{portable}`")),
            None => Some(format!("a type of the provider's own is written `native \"{word}{arguments}\"`")),
        }
    }

    /// `check a > 0` for `check (a > 0)`, `unique code` for `unique (code)`.
    fn without_parentheses(&self, wanted: &str) -> Option<String> {
        let (before, after) = (self.before, self.after);
        match wanted {
            "`(`" if after.is_empty() => {
                let (item, name) = before.rsplit_once(' ')?;
                let is_item = matches!(item, "primary key" | "unique" | "index" | "unique index");
                is_item.then(|| format!("columns stand in parentheses: `{item} ({name})`"))
            }
            "`(`" if after.starts_with("references") => {
                let (item, name) = before.rsplit_once(' ')?;
                (item == "foreign key").then(|| format!("columns stand in parentheses: `foreign key ({name}) {after}`"))
            }
            "an SQL expression in parentheses" | "a name or a keyword" | "`(`" => {
                let words: Vec<&str> = before.split_whitespace().collect();
                let at = words.iter().rposition(|word| matches!(*word, "check" | "generated" | "where"))?;
                let (word, rest) = (words[at], words[at + 1..].join(" "));
                let expression = format!("{rest} {after}");
                Some(format!("SQL stands in parentheses: `{word} ({})`", expression.trim()))
            }
            _ => None,
        }
    }

    fn instead_of_item(&self, word: &str) -> Option<String> {
        let told = match word.to_ascii_lowercase().as_str() {
            "constraint" => {
                "the name stands behind what it is: `unique NAME (…)`, `foreign key NAME (…)`, `check NAME (…)`"
            }
            "key" => "write `index (column, …)`",
            "pk" => "write `primary key (column, …)`",
            "fk" => "write `foreign key (column, …) references TABLE`",
            "column" => "a column begins with its name: `name: type`",
            "comment" | "description" => "write `about \"…\"`",
            "trigger" | "view" | "rows" | "grant" => "it stands beside the table, behind its `}`",
            _ => return None,
        };
        Some(told.to_owned())
    }

    fn instead_of_declaration(&self, word: &str) -> Option<String> {
        let told = match word.to_ascii_lowercase().as_str() {
            "create" | "alter" | "drop" => {
                "this is SQL: write `table NAME { … }`, or list a file that ends in .sql under `declarations`"
            }
            "insert" => "rows are declared: `rows TABLE by (column) { … }`",
            "function" | "procedure" => "write `routine NAME` with its SQL between ``` and ```",
            "schema" => "write `namespace NAME`",
            "type" => "write `enum NAME { … }`, `domain NAME TYPE`, or `object \"type\" NAME` with its SQL",
            "index" | "unique" | "primary" | "foreign" | "check" => "it stands inside its table, between `{` and `}`",
            _ if self.after[word.len().min(self.after.len())..].trim_start().starts_with(':') => {
                "a column stands inside its table: `table NAME { … }`"
            }
            _ => return None,
        };
        Some(told.to_owned())
    }

    /// `INT` is no name.
    fn instead_of_upper_case(&self, word: &str) -> Option<String> {
        let is_type = self.column().is_some_and(|(_, ty)| ty.is_empty());
        let lower = word.to_lowercase();
        let portable = Type::meant_by(&lower).or_else(|| Type::WORDS.into_iter().find(|word| *word == lower));
        portable.filter(|_| is_type).map(|portable| format!("write `{portable}`"))
    }
}

fn is_part_of_word(letter: char) -> bool {
    letter.is_alphanumeric() || letter == '_'
}

fn first_word(text: &str) -> &str {
    let end = text.find(|letter| !is_part_of_word(letter)).unwrap_or(text.len());
    &text[..end]
}

fn last_word(text: &str) -> &str {
    let text = text.trim_end();
    let start = text
        .rfind(|letter| !is_part_of_word(letter))
        .map_or(0, |at| at + text[at..].chars().next().map_or(1, char::len_utf8));
    &text[start..]
}

/// `(…)` at the beginning, and what follows it.
fn split_arguments(text: &str) -> (&str, &str) {
    let text = text.trim_start();
    match text.starts_with('(').then(|| text.find(')')).flatten() {
        Some(close) => text.split_at(close + 1),
        None => ("", text),
    }
}

#[cfg(test)]
mod tests {
    use crate::language::{Source, resolve};

    /// The help of the first mistake of a text.
    #[track_caller]
    fn help(text: &str) -> String {
        let resolution = resolve(&[Source { name: "a.oak".into(), text: text.to_owned() }]);
        resolution.diagnostics.first().unwrap_or_else(|| panic!("no mistake: {text}")).help.clone()
    }

    #[test]
    fn a_habit_in_a_table_is_told_what_to_type() {
        #[track_caller]
        fn case(line: &str, expected: &str) {
            assert_eq!(
                help(&format!("table hive {{\n    number: int64, primary key\n    {line}\n}}\n")),
                expected,
                "{line}"
            );
        }
        case("id int64", "write `id: int64`");
        case("id bigint primary key", "write `id: int64`, and a comma before each clause");
        case("code varchar(80), unique", "write `code: text(80)`, and a comma before each clause");
        case("code: varchar(80)", "write `text(80)`");
        case("code: nvarchar(max)", "write `text`");
        case("open: tinyint(1)", "write `bool`");
        case("size: int(11)", "write `int32`");
        case("kg: numeric(10)", "write `decimal(10, 0)`");
        case("kg: NUMERIC", "write `decimal`");
        case("place: geometry(point)", "a type of the provider's own is written `native \"geometry(point)\"`");
        case("id: bigserial", "did you mean `int64, identity`?");
        case(
            "kind: enum('a', 'b')",
            "declare it beside the table, `enum kind { 'a', 'b' }`, and write its name here: `kind`",
        );
        case("kind: enum temper, null", "an enum is a type by its name alone: write `temper`");
        case("note: text not null", "a column is not null unless it says `null`: leave it away");
        case("note: text, nullable", "write `null`");
        case("note: text?", "what may be null says so: `text, null`");
        case("note: text(max)", "write `text`, which has no limit");
        case("id: int64, auto_increment", "write `identity`");
        case("id: int64 primary key", "write `, primary key`");
        case("id: int64, primary", "write `primary key`");
        case("at: instant, default now()", "write `now`, without parentheses");
        case("size: int32, default = 5", "write `default 5`");
        case("size: int32 = 5 # five", "a default is a clause: `, default 5`");
        case("size: int32;", "the end of the line ends it: leave `;` away");
        case("site_id: references site, on delete setnull", "did you mean `set null`?");
        case("at: instant, default \"now\"", "write `now`, without quotes");
        case("at: date, default today()", "write `today`, without parentheses");
        case("note: text(9) 'x'", "a default is a clause: `, default 'x'`");
        case("up: int64, references(hive)", "write `references hive`");
        case("kg: decimal(6.2)", "write `decimal(6, 2)`");
        case("note: text, collate nocase", "write `collate \"nocase\"`");
        case("note: text, about 'what'", "write `about \"what\"`");
        case("-- remark", "a comment begins with `#` and ends with its line");
        case("primary key id", "columns stand in parentheses: `primary key (id)`");
        case("unique index code", "columns stand in parentheses: `unique index (code)`");
        case("foreign key a references b", "columns stand in parentheses: `foreign key (a) references b`");
        case("check size > 0", "SQL stands in parentheses: `check (size > 0)`");
        case("index by_code (code) where size > 0", "SQL stands in parentheses: `where (size > 0)`");
        case(
            "constraint one unique (code)",
            "the name stands behind what it is: `unique NAME (…)`, `foreign key NAME (…)`, `check NAME (…)`",
        );
        case("index by_code (code", "a comma comes before another one, and `)` behind the last");
        case("index (id, lower(code))", "an expression stands in parentheses of its own: `(lower(code))`");
        case("unique index (lower(code))", "an expression stands in parentheses of its own: `(lower(code))`");
        case("index by_code {code}", "the form is `index (column, …)`");
    }

    #[test]
    fn a_habit_beside_tables_is_told_what_to_type() {
        #[track_caller]
        fn case(text: &str, expected: &str) {
            assert_eq!(help(text), expected, "{text}");
        }
        case(
            "create table hive (id int);",
            "this is SQL: write `table NAME { … }`, or list a file that ends in .sql under `declarations`",
        );
        case("id: int64\n", "a column stands inside its table: `table NAME { … }`");
        case("index (code)\n", "it stands inside its table, between `{` and `}`");
        case("enum temper ('calm')\n", "the form is `enum NAME { one, another }`");
        case("table hive\n", "the form is `table NAME { … }`");
        case("// remark\n", "a comment begins with `#` and ends with its line");
        case("view heavy as select 1\n", "write `view NAME`, and its SQL on lines of its own between ``` and ```");
        case("rows hive by (id) {\n    id, code\n    1, 'a'\n}\n", "bars stand between values: `id | code`");
        case("TABLE hive {\n}\n", "did you mean `table`?");
        let object =
            |what: &str| format!("privileges on {what} are an `object \"grant\"`, with its SQL between ``` and ```");
        case("grant select (id) on hive to reader\n", &object("single columns"));
        case("grant usage on namespace sales to reader\n", &object("namespaces"));
        case("grant all privileges on hive to reader\n", "write `all`");
        case(
            "domain code text(5), default 'x'\n",
            "a domain has checks alone: say it of the columns, or declare an `object \"domain\"`",
        );
    }
}
