//! What the `sqlite3` shell says of a file, in a form in which two files can be compared.
//!
//! It shares no code with the tool. The rules of the normaliser, all of them:
//!
//! 1. Words outside quotes are lowered; quotes around names go; white space and comments go.
//! 2. The parts of a `create table` (columns and constraints) are sorted.
//! 3. A named check or reference that stands with a column stands with the table instead.
//! 4. `if not exists` goes: the shell prints it where a name is quoted.
//! 5. The names of a referenced table and its columns are lowered: SQLite compares it so, and keeps whatever was written.
//! 6. Statements are sorted. The tool's own tables, and those of SQLite, are left out.

use std::borrow::Cow;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};

use hollow_oak_core::Provider;

use crate::server::PrivateServer;

/// The normalised schema of a file, one statement a line.
///
/// # Errors
///
/// Where the shell cannot be run, with the remedy.
pub fn schema(path: &Path) -> Result<String, String> {
    let output = Command::new("sqlite3")
        .arg(path)
        .arg(".schema")
        .output()
        .map_err(|error| format!("the sqlite3 shell cannot be run ({error}); `cargo xtask test` installs it"))?;
    if !output.status.success() {
        return Err(String::from_utf8_lossy(&output.stderr).into_owned());
    }
    Ok(normalise(&String::from_utf8_lossy(&output.stdout)))
}

/// Puts a script of `create` statements into normal form.
pub fn normalise(script: &str) -> String {
    let mut words = words(script);
    for at in 1..words.len() {
        if words[at - 1] == "references" {
            let end = words[at..].iter().position(|word| word == ")").map_or(at + 1, |length| at + length);
            words[at..end].iter_mut().for_each(|word| *word = word.to_ascii_lowercase());
        }
    }
    let mut statements: Vec<String> = words
        .split(|word| word == ";")
        .filter(|statement| !statement.is_empty())
        .map(one)
        .filter(|text| !text.contains("hollow_oak_") && !text.contains("table sqlite_"))
        .collect();
    statements.sort();
    statements.join("\n")
}

fn one(statement: &[String]) -> String {
    let conditional = statement.windows(3).position(|words| words == ["if", "not", "exists"]).filter(|at| *at == 2);
    if let Some(at) = conditional {
        return one(&[&statement[..at], &statement[at + 3..]].concat());
    }
    let is_table = statement.get(1).is_some_and(|word| word == "table");
    let open = statement.iter().position(|word| word == "(");
    let (true, Some(open)) = (is_table, open) else { return statement.join(" ") };
    let close = statement.iter().rposition(|word| word == ")").unwrap_or(statement.len());
    let mut parts: Vec<String> = Vec::new();
    for part in split(&statement[open + 1..close], ",") {
        parts.extend(hoisted(part));
    }
    parts.sort();
    format!("{} ( {} ) {}", statement[..open].join(" "), parts.join(" , "), statement[close + 1..].join(" "))
}

/// Splits at a word that stands outside parentheses.
fn split<'a>(words: &'a [String], separator: &str) -> Vec<&'a [String]> {
    let mut parts = Vec::new();
    let (mut depth, mut start) = (0, 0);
    for (at, word) in words.iter().enumerate() {
        match word.as_str() {
            "(" => depth += 1,
            ")" => depth -= 1,
            word if word == separator && depth == 0 => {
                parts.push(&words[start..at]);
                start = at + 1;
            }
            _ => {}
        }
    }
    parts.push(&words[start..]);
    parts
}

/// A column without the named checks and references that stand with it, and those.
fn hoisted(part: &[String]) -> Vec<String> {
    if matches!(part.first().map(String::as_str), Some("constraint")) {
        return vec![part.join(" ")];
    }
    let segments = split(part, "constraint");
    let column = part.first().cloned().unwrap_or_default();
    let mut found = vec![segments[0].join(" ")];
    for segment in &segments[1..] {
        match segment.get(1).map(String::as_str) {
            Some("references") => {
                let (name, rest) = (&segment[0], segment[1..].join(" "));
                found.push(format!("constraint {name} foreign key ( {column} ) {rest}"));
            }
            Some("check") => found.push(format!("constraint {}", segment.join(" "))),
            _ => found[0].push_str(&format!(" constraint {}", segment.join(" "))),
        }
    }
    found
}

fn words(script: &str) -> Vec<String> {
    let characters: Vec<char> = script.chars().collect();
    let mut words = Vec::new();
    let mut at = 0;
    while at < characters.len() {
        let first = characters[at];
        let next = characters.get(at + 1).copied();
        if first.is_whitespace() {
            at += 1;
        } else if first == '-' && next == Some('-') {
            while at < characters.len() && characters[at] != '\n' {
                at += 1;
            }
        } else if first == '/' && next == Some('*') {
            while at + 1 < characters.len() && !(characters[at] == '*' && characters[at + 1] == '/') {
                at += 1;
            }
            at += 2;
        } else if matches!(first, '\'' | '"' | '`' | '[') {
            let close = if first == '[' { ']' } else { first };
            let mut text = String::new();
            at += 1;
            while at < characters.len() {
                if characters[at] == close {
                    if characters.get(at + 1) == Some(&close) {
                        at += 1;
                    } else {
                        break;
                    }
                }
                text.push(characters[at]);
                at += 1;
            }
            at += 1;
            words.push(if first == '\'' { format!("'{text}'") } else { text });
        } else if first.is_alphanumeric() || first == '_' {
            let start = at;
            while at < characters.len() && (characters[at].is_alphanumeric() || matches!(characters[at], '_' | '.')) {
                at += 1;
            }
            words.push(characters[start..at].iter().collect::<String>().to_ascii_lowercase());
        } else {
            words.push(first.to_string());
            at += 1;
        }
    }
    words
}

/// The rows that the `sqlite3` shell reads from a file, one a line, in a form in which two files can be compared.
///
/// # Errors
///
/// Where the shell cannot be run, with the remedy.
pub fn rows(path: &Path) -> Result<String, String> {
    let shell = |input: &str| -> Result<String, String> {
        let mut command = Command::new("sqlite3");
        command.arg(path).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        let no_shell = |error| format!("the sqlite3 shell cannot be run ({error}); `cargo xtask test` installs it");
        let mut child = command.spawn().map_err(no_shell)?;
        let mut stdin = child.stdin.take().expect("it is piped");
        stdin.write_all(input.as_bytes()).map_err(|error| error.to_string())?;
        drop(stdin);
        let output = child.wait_with_output().map_err(|error| error.to_string())?;
        match output.status.success() {
            true => Ok(String::from_utf8_lossy(&output.stdout).into_owned()),
            false => Err(String::from_utf8_lossy(&output.stderr).into_owned()),
        }
    };
    let tables = shell("select name from sqlite_schema where type = 'table' and name not like 'sqlite_%';\n")?;
    let mut script = ".headers on\n".to_owned();
    for table in tables.lines() {
        // The shell's own commands read a name as C does.
        let named = table.replace('\\', "\\\\").replace('"', "\\\"");
        let quoted = table.replace('"', "\"\"");
        script.push_str(&format!(".mode insert \"{named}\"\nselect * from \"{quoted}\";\n"));
    }
    Ok(normalise_rows(&shell(&script)?))
}

/// The rows that a server's own dumper writes, one a line, in a form in which two databases can be compared.
///
/// # Errors
///
/// Where the dumper cannot be run, with the remedy.
pub fn dump_rows(server: &PrivateServer, database: &str) -> Result<String, String> {
    let options: &[&str] = match server.provider() {
        Provider::Postgres => &["--data-only", "--column-inserts"],
        _ => &["--no-create-info", "--complete-insert", "--skip-extended-insert", "--hex-blob", "--skip-triggers"],
    };
    // Inside a text, MariaDB's dumper writes a quote with a backslash before it.
    Ok(normalise_rows(&text(&dumped(server, database, options)?).replace("\\'", "''")))
}

/// Sorts the columns of each inserted row, and the rows; the tool's own tables are left out.
fn normalise_rows(script: &str) -> String {
    let inserts = script.lines().filter(|line| line.get(..7).is_some_and(|head| head.eq_ignore_ascii_case("insert ")));
    let mut rows: Vec<String> = inserts
        .filter(|line| !line.contains("hollow_oak_"))
        .map(|line| {
            let words = words(line.trim_end_matches(';'));
            let is = |word: &str| words.iter().position(|one| one == word);
            let (Some(open), Some(values)) = (is("("), is("values")) else { return words.join(" ") };
            if open > values {
                return words.join(" ");
            }
            let inside =
                |words: &[String]| -> Vec<String> { split(words, ",").iter().map(|one| one.concat()).collect() };
            // PostgreSQL's dumper may say something of identities between the two.
            let close = words[..values].iter().rposition(|word| word == ")").unwrap_or(values);
            let names = inside(&words[open + 1..close]);
            let list = inside(&words[values + 2..words.len() - 1]);
            let mut pairs: Vec<String> =
                names.iter().zip(&list).map(|(name, value)| format!("{name}={value}")).collect();
            pairs.sort();
            format!("{}: {}", words[..open].concat(), pairs.join(", "))
        })
        .collect();
    rows.sort();
    rows.join("\n")
}

/// What a server's own dumper says of a database.
///
/// # Errors
///
/// Where the dumper cannot be run, with the remedy.
pub fn raw_dump(server: &PrivateServer, database: &str) -> Result<String, String> {
    Ok(text(&raw_bytes(server, database)?))
}

/// The same in bytes, of which some may be in other encodings.
///
/// # Errors
///
/// Where the dumper cannot be run, or refuses.
pub fn raw_bytes(server: &PrivateServer, database: &str) -> Result<Vec<u8>, String> {
    let options: &[&str] = match server.provider() {
        Provider::Postgres => &["--schema-only"],
        _ => &["--no-data", "--routines", "--events"],
    };
    dumped(server, database, options)
}

/// The schema of a PostgreSQL database as its dumper writes it with quotes around every name.
///
/// # Errors
///
/// Where the dumper cannot be run, or refuses.
pub fn quoted_dump(server: &PrivateServer, database: &str) -> Result<String, String> {
    Ok(text(&dumped(server, database, &["--schema-only", "--quote-all-identifiers"])?))
}

/// Has a server's own client run a script.
///
/// # Errors
///
/// What the client says, where it does not go through; that it cannot be run, with the remedy.
pub fn load(server: &PrivateServer, database: &str, script: &Path) -> Result<(), String> {
    let input = std::fs::File::open(script).map_err(|error| error.to_string())?;
    let mut command = match server.provider() {
        Provider::Postgres => {
            let mut command = Command::new(server.client());
            command.args(["--quiet", "--no-psqlrc", "--set=ON_ERROR_STOP=1", "--username=oak", database]);
            command.arg(format!("--host={}", server.socket().display()));
            command
        }
        _ => {
            let mut command = Command::new(server.client());
            command.args(["--no-defaults", "--user=oak", database]);
            command.arg(format!("--socket={}", server.socket().display()));
            // `delimiter` is a command of the client.
            command.args((server.provider() == Provider::Mysql).then_some("--commands"));
            command
        }
    };
    let output = command
        .stdin(input)
        .output()
        .map_err(|error| format!("the server's client cannot be run ({error}); `cargo xtask test` installs it"))?;
    if output.status.success() { Ok(()) } else { Err(String::from_utf8_lossy(&output.stderr).into_owned()) }
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

fn dumped(server: &PrivateServer, database: &str, options: &[&str]) -> Result<Vec<u8>, String> {
    let mut command = match server.provider() {
        Provider::Postgres => {
            let mut command = Command::new(server.dumper());
            command.args(options);
            command.args(["--no-owner", "--username=oak", database]);
            command.arg(format!("--host={}", server.socket().display()));
            command
        }
        _ => {
            let mut command = Command::new(server.dumper());
            command.arg("--no-defaults");
            command.args(options);
            command.args(["--skip-comments", "--user=root", database]);
            command.arg(format!("--socket={}", server.socket().display()));
            command
        }
    };
    let output = command
        .output()
        .map_err(|error| format!("the server's dumper cannot be run ({error}); `cargo xtask test` installs it"))?;
    if !output.status.success() {
        return Err(String::from_utf8_lossy(&output.stderr).into_owned());
    }
    Ok(output.stdout)
}

/// A whole database as the server's own dumper writes it, its rows and the tool's own tables among it.
///
/// # Errors
///
/// Where the dumper cannot be run, or refuses.
pub fn whole_dump(server: &PrivateServer, database: &str) -> Result<String, String> {
    let options: &[&str] = if server.provider() == Provider::Postgres { &[] } else { &["--routines"] };
    Ok(text(&dumped(server, database, options)?))
}

/// What a server's own dumper says of a database, in a form in which two can be compared.
///
/// It shares no code with the tool. The rules, all of them: comments, session settings and the tool's own tables go; the
/// lines inside a `create table` are sorted, and so are the statements; the counter of a table's rows goes, and so do the
/// parentheses around the digits of a negative number, and the name that PostgreSQL from version 18 on has for `not null`.
///
/// # Errors
///
/// Where the dumper cannot be run, with the remedy.
pub fn dump(server: &PrivateServer, database: &str) -> Result<String, String> {
    Ok(normalise_dump(&raw_dump(server, database)?))
}

/// Puts a server's dump into normal form.
pub fn normalise_dump(script: &str) -> String {
    // `set` may begin a line of a body, too, and stand in one.
    let sets_session = |line: &str| {
        let words =
            line.strip_prefix("/*!50").map(|rest| rest.trim_start_matches(|digit: char| digit.is_ascii_digit()));
        words.is_some_and(|words| words.starts_with(" SET ")) || line.starts_with("SET ")
    };
    let is_noise = |line: &&str| {
        let is_session = sets_session(line);
        let line = line.trim_start();
        is_session
            || line.starts_with("/*!40")
            || line.starts_with("/*M!")
            || line.starts_with("--")
            || line.starts_with('\\')
            || line.starts_with("SELECT pg_catalog.")
    };
    let text: Vec<&str> =
        script.lines().filter(|line| !line.trim().is_empty()).filter(|line| !is_noise(line)).collect();
    let mut statements: Vec<String> = text
        .join("\n")
        .split(";\n")
        .map(|statement| statement.trim().trim_end_matches(';').to_owned())
        .filter(|statement| !statement.contains("hollow_oak_") && !statement.is_empty())
        .map(|statement| {
            let mut lines: Vec<Cow<'_, str>> =
                statement.lines().map(|line| Cow::Borrowed(line.trim().trim_end_matches(','))).collect();
            if lines[0].starts_with("CREATE TABLE") && lines.len() > 2 {
                let last = lines.len() - 1;
                for line in &mut lines[1..last] {
                    *line = without_name_of_not_null(line).into();
                }
                lines[1..last].sort_unstable();
                lines[last] = attributes_folded(&lines[last]).into();
            }
            without_counter(&minus_alone(&lines.join(" ")))
        })
        .collect();
    statements.sort();
    statements.join("\n")
}

/// What stands behind a table, with the names of its engine's attributes in small letters, and what they are without quotes:
/// both are the same to MariaDB, which writes them as the statement did.
fn attributes_folded(tail: &str) -> String {
    let pieces = tail.split('`').collect::<Vec<_>>();
    let is_name = |at: usize| at % 2 == 1 && pieces.get(at + 1).is_some_and(|behind| behind.starts_with('='));
    let without_quotes = |piece: &str| {
        let (value, rest) = piece.strip_prefix("='")?.split_once('\'')?;
        value.bytes().all(|byte| byte.is_ascii_alphanumeric()).then(|| format!("={value}{rest}"))
    };
    let folded: Vec<String> = pieces
        .iter()
        .enumerate()
        .map(|(at, piece)| match at {
            at if is_name(at) => piece.to_ascii_lowercase(),
            at if at > 0 && is_name(at - 1) => without_quotes(piece).unwrap_or_else(|| (*piece).to_owned()),
            _ => (*piece).to_owned(),
        })
        .collect();
    folded.join("`")
}

/// MySQL writes a negative number in an expression with parentheses until the table is made anew, and without them from
/// then on.
fn minus_alone(statement: &str) -> String {
    let mut text = String::with_capacity(statement.len());
    let mut rest = statement;
    while let Some((before, behind)) = rest.split_once("-(") {
        let digits = behind.find(|letter: char| !letter.is_ascii_digit() && letter != '.').unwrap_or(behind.len());
        let is_number = digits > 0 && behind[digits..].starts_with(')');
        text.push_str(before);
        text.push_str(if is_number { "-" } else { "-(" });
        text.push_str(&behind[..if is_number { digits } else { 0 }]);
        rest = &behind[if is_number { digits + 1 } else { 0 }..];
    }
    text + rest
}

/// `"größe" integer CONSTRAINT "a b_not_null" NOT NULL` and `CONSTRAINT a_not_null NOT NULL a`, without those names.
fn without_name_of_not_null(line: &str) -> String {
    let Some((head, behind)) = line.split_once(" NOT NULL") else { return line.to_owned() };
    let start = match head.strip_prefix("CONSTRAINT ") {
        Some(name) => Some(("", name)),
        None => head.rsplit_once(" CONSTRAINT "),
    };
    let is_name = |name: &str| !name.contains(' ') || name.starts_with('"') && name.ends_with('"');
    match start {
        Some((before, name)) if is_name(name) => format!("{before} NOT NULL{behind}").trim_start().to_owned(),
        _ => line.to_owned(),
    }
}

/// A table's next number comes from its rows.
fn without_counter(statement: &str) -> String {
    let Some((before, rest)) = statement.split_once(" AUTO_INCREMENT=") else { return statement.to_owned() };
    format!("{before}{}", rest.trim_start_matches(|digit: char| digit.is_ascii_digit()))
}

#[cfg(test)]
mod tests {
    use super::*;

    const BASE: &str = "create table hive (id INTEGER constraint k primary key, code VARCHAR(12) not null default 'a' collate nocase, \
        kg REAL, net REAL generated always as (kg - 1) stored, constraint u unique (code), \
        constraint f foreign key (kg) references apiary (id) on delete cascade, constraint c check (kg > 0)); \
        create index i on hive (code desc) where (kg > 1); create trigger t after insert on hive begin select 1; end; \
        create view v as select code from hive;";

    #[test]
    fn accidents_of_writing_are_not_seen() {
        #[track_caller]
        fn same(from: &str, to: &str) {
            assert!(BASE.contains(from), "{from}");
            assert_eq!(normalise(BASE), normalise(&BASE.replacen(from, to, 1)), "{to}");
        }
        same("create table hive", "CREATE TABLE \"hive\"");
        same("references apiary", "references APIARY");
        same("kg REAL,", "kg real /* weight */ ,\n");
        let inline =
            "create table a (b REAL constraint c check (b > 0) constraint f references d (e) on delete cascade);";
        let apart = "create table a (b REAL, constraint c check (b > 0), constraint f foreign key (b) references d (e) on delete cascade);";
        assert_eq!(normalise(inline), normalise(apart));
    }

    #[test]
    fn an_attribute_of_an_engine_is_the_same_in_any_letters() {
        let dump =
            "CREATE TABLE `Hive` (\n  `Id` int(11) NOT NULL,\n  `code` int(11)\n) ENGINE=InnoDB `Pressed`='ON';\n";
        assert_eq!(normalise_dump(dump), normalise_dump(&dump.replace("Pressed", "PRESSED")));
        let numbered = dump.replace("'ON'", "5 `Level`=1");
        assert_eq!(normalise_dump(&numbered), normalise_dump(&numbered.replace("=5", "='5'")));
        assert_ne!(normalise_dump(&numbered), normalise_dump(&numbered.replace("=5", "='6'")));
        for (from, to) in [("'ON'", "'on'"), ("`Id`", "`ID`"), ("`Hive`", "`hive`"), (" `Pressed`='ON'", "")] {
            assert_ne!(normalise_dump(dump), normalise_dump(&dump.replace(from, to)), "{from} became {to}");
        }
    }

    #[test]
    fn what_not_null_is_called_makes_no_difference() {
        let dump = |lines: &str| normalise_dump(&format!("CREATE TABLE public.hive (\n{lines}\n);\n"));
        let plain = dump("    id integer DEFAULT 1 NOT NULL,\n    NOT NULL \"a b\"");
        let named = dump(
            "    id integer DEFAULT 1 CONSTRAINT hive_id_not_null NOT NULL,\n    CONSTRAINT \"a b_not_null\" NOT NULL \"a b\"",
        );
        assert_eq!(plain, named);
        assert_ne!(plain, dump("    id integer DEFAULT 1,\n    NOT NULL \"a b\""));
        let checked = |name: &str| dump(&format!("    CONSTRAINT {name} CHECK ((id IS NOT NULL))"));
        assert_ne!(checked("one"), checked("two"));
    }

    #[test]
    fn what_a_trigger_sets_is_seen() {
        let dump = "/*!50003 SET sql_mode = '' */ ;;\n/*!50003 CREATE*/ /*!50003 TRIGGER t BEFORE INSERT ON `a` FOR EACH ROW\n  \
            SET new.b = 1 */;;\n/*!50003 CREATE*/ /*!50003 TRIGGER u AFTER INSERT ON `a` FOR EACH ROW UPDATE c SET d = 2 */;;\n";
        for (from, to) in [("new.b = 1", "new.b = 3"), ("d = 2", "d = 3")] {
            assert_ne!(normalise_dump(dump), normalise_dump(&dump.replace(from, to)), "{from} became {to}");
        }
        assert_eq!(normalise_dump(dump), normalise_dump(&dump.replace("''", "'ANSI'")));
    }

    #[test]
    fn every_kind_of_difference_is_seen() {
        #[track_caller]
        fn differs(from: &str, to: &str) {
            assert!(BASE.contains(from), "{from}");
            assert_ne!(normalise(BASE), normalise(&BASE.replacen(from, to, 1)), "{from} became {to}");
        }
        differs("create table hive", "create table Hive2");
        differs("kg REAL, net", "kg REAL, extra, net");
        differs("kg REAL", "kg TEXT");
        differs(" not null", "");
        differs("default 'a'", "default 'b'");
        differs("default 'a'", "default 'A'");
        differs(" collate nocase", "");
        differs("(kg - 1)", "(kg - 2)");
        differs("stored", "virtual");
        differs("constraint k primary key", "");
        differs("constraint k ", "constraint kk ");
        differs("constraint u unique (code), ", "");
        differs("unique (code)", "unique (code, kg)");
        differs("references apiary", "references site");
        differs("on delete cascade", "on delete set null");
        differs("on delete cascade", "on delete cascade deferrable initially deferred");
        differs("check (kg > 0)", "check (kg >= 0)");
        differs("));", ")) strict;");
        differs("));", ")) without rowid;");
        differs("code desc", "code");
        differs("create index", "create unique index");
        differs(" where (kg > 1)", "");
        differs("after insert", "after update");
        differs("select code from", "select kg from");
    }
}
