//! The catalogue of one database, by a fixed number of queries over `information_schema` (MariaDB, "Information Schema
//! Tables"; MySQL 8.4, "INFORMATION_SCHEMA Tables").
//!
//! No query joins two of its tables: each is a heap without an index. Each filters by the column that the server prunes
//! by, or it would open the tables of every database.

use std::collections::{BTreeMap, BTreeSet};

use hollow_oak_core::dialect::Flavor;
use hollow_oak_core::dialect::mariadb::catalogue::{
    Catalogue, CheckRow, ColumnRow, OtherRow, PartRow, ReferenceRow, TableRow, in_own_literals, introspect,
    partitioning, tells_all,
};
use hollow_oak_core::physical::{Introspected, NameCase, ObjectKind, Unmanaged};

use super::session::MariadbSession;
use crate::kept::is_own_table;
use crate::server::{ServerError, Session};

type Row = Vec<Option<String>>;

fn text(row: &Row, at: usize) -> String {
    row.get(at).cloned().flatten().unwrap_or_default()
}

fn optional(row: &Row, at: usize) -> Option<String> {
    row.get(at).cloned().flatten()
}

/// Reads a database.
pub(super) fn read(session: &mut MariadbSession, database: &str, flavor: Flavor) -> Result<Introspected, ServerError> {
    let name = session.dialect().literal(database);
    let catalogue = Catalogue { forgets_descent: session.is_before((10, 8)), ..Catalogue::default() };
    let mut reader = Reader { session, database: name, flavor, catalogue, versioned: Vec::new() };
    reader.tables()?;
    reader.columns()?;
    reader.parts()?;
    reader.references(database)?;
    reader.checks()?;
    reader.periods()?;
    reader.programs()?;
    Ok(introspect(flavor, reader.catalogue))
}

/// The options in `create_options`, of which a few have two words; a value in quotes may hold spaces.
fn split_options(options: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut quoted = false;
    for one in options.chars() {
        match one {
            '\'' | '"' => {
                quoted = !quoted;
                words.last_mut().into_iter().for_each(|word| word.push(one));
            }
            ' ' if !quoted && words.last().is_some_and(|word| is_half(word)) => {
                words.last_mut().into_iter().for_each(|word| word.push(one));
            }
            ' ' if !quoted => words.push(String::new()),
            _ => words.last_mut().into_iter().for_each(|word| word.push(one)),
        }
    }
    words.retain(|word| !word.is_empty());
    words
}

/// Whether this is the first word of an option that says where files are (MariaDB, "CREATE TABLE", "DATA DIRECTORY").
fn is_half(word: &str) -> bool {
    word.eq_ignore_ascii_case("data") || word.eq_ignore_ascii_case("index")
}

/// The mode in which the same text is read in another way, of a list of modes (MariaDB, "SQL_MODE"): a script of ours has
/// the usual one.
fn other_mode(modes: &str) -> Option<&'static str> {
    const READ_DIFFERENTLY: [&str; 4] = ["ORACLE", "ANSI_QUOTES", "NO_BACKSLASH_ESCAPES", "PIPES_AS_CONCAT"];
    READ_DIFFERENTLY.into_iter().find(|mode| modes.split(',').any(|one| one == *mode))
}

/// The bytes of the default in a column's line of `show create table`.
fn default_in(line: &[u8]) -> Option<Vec<u8>> {
    const WORD: &[u8] = b" DEFAULT '";
    let start = line.windows(WORD.len()).position(|window| window == WORD)? + WORD.len();
    let mut bytes = Vec::new();
    let mut rest = line[start..].iter();
    loop {
        match rest.next()? {
            b'\\' => bytes.push(match rest.next()? {
                b'0' => 0,
                b'n' => b'\n',
                b'r' => b'\r',
                other => *other,
            }),
            b'\'' if rest.as_slice().first() != Some(&b'\'') => return Some(bytes),
            b'\'' => bytes.extend(rest.next()),
            other => bytes.push(*other),
        }
    }
}

struct Reader<'a> {
    session: &'a mut MariadbSession,
    /// The database, as a literal.
    database: String,
    flavor: Flavor,
    catalogue: Catalogue,
    /// Tables that keep the history of their rows.
    versioned: Vec<String>,
}

impl Reader<'_> {
    /// Asks; the first column is the table, and the tool's own tables are left out.
    fn ask(&mut self, sql: &str) -> Result<Vec<Row>, ServerError> {
        let mut rows = self.session.ask(&sql.replace("$database", &self.database))?.rows;
        rows.retain(|row| !is_own_table(&text(row, 0)));
        Ok(rows)
    }

    fn other(&mut self, kind: ObjectKind, name: String, table: Option<String>, sql: String) {
        let (drop, after) = (String::new(), Vec::new());
        self.catalogue.others.push(OtherRow { kind, name, table, sql, drop, after, comment: None });
    }

    /// What is written in another mode than that of the scripts is only named.
    fn in_other_mode(&mut self, kind: ObjectKind, name: &str, mode: &str, table: Option<String>) {
        self.only_named(kind, format!("{name} (in sql_mode {mode})"), table);
    }

    fn only_named(&mut self, kind: ObjectKind, name: String, table: Option<String>) {
        self.catalogue.unreadable.push(Unmanaged { kind, name, table, sql: String::new() });
    }

    fn tables(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(
            "select table_name, table_type, engine, table_collation, row_format, create_options, table_comment,
                    @@innodb_default_row_format, @@lower_case_table_names
             from information_schema.tables where table_schema = $database",
        )?;
        if rows.first().is_some_and(|row| text(row, 8) != "0") {
            self.catalogue.name_case = Some(NameCase::KeptSmall);
        }
        let mut has_views = false;
        let mut versioned = Vec::new();
        let mut partitions = None;
        for row in rows {
            let name = text(&row, 0);
            match text(&row, 1).as_str() {
                "BASE TABLE" => {}
                "VIEW" | "SYSTEM VIEW" => {
                    has_views = true;
                    continue;
                }
                "SEQUENCE" => {
                    self.as_object(ObjectKind::Sequence, "sequence", name)?;
                    continue;
                }
                "SYSTEM VERSIONED" => {
                    versioned.push(name.clone());
                }
                _ => {
                    self.other(ObjectKind::Table, name, None, String::new());
                    continue;
                }
            }
            let engine = text(&row, 2);
            if engine.is_empty() {
                // The server itself cannot read it.
                self.other(ObjectKind::Table, name, None, String::new());
                continue;
            }
            if !tells_all(&engine) {
                self.as_object(ObjectKind::Table, "table", name)?;
                continue;
            }
            let options = text(&row, 5).to_ascii_lowercase().replace('`', "");
            let mut words: Vec<String> = split_options(&options);
            if self.flavor == Flavor::Mysql {
                // Seen on 9.7: one that is partitioned by its key is not told there.
                words.retain(|option| option != "partitioned");
                if partitions.is_none() {
                    partitions = Some(self.partitions()?);
                }
                words.extend(
                    partitions.as_ref().filter(|found| found.contains_key(&name)).map(|_| "partitioned".to_owned()),
                );
            }
            if words.iter().any(|option| option == "partitioned") {
                let listed = partitions.as_ref().and_then(|found| found.get(&name)).cloned().flatten();
                let option = if listed.is_some() { listed } else { self.told_partitions(&name)? };
                let Some(option) = option else {
                    self.other(ObjectKind::Partition, name, None, String::new());
                    continue;
                };
                words.push(option);
                words.retain(|option| option != "partitioned");
            }
            let format = text(&row, 4).to_ascii_lowercase();
            // Blocks of a size of their own make a table a compressed one (MariaDB, "CREATE TABLE", KEY_BLOCK_SIZE).
            let is_implied = format == "compressed" && words.iter().any(|word| word.starts_with("key_block_size="));
            let is_stated = is_implied || words.iter().any(|word| word.starts_with("row_format="));
            // Who states none has the server's own.
            let is_usual = format.is_empty() || format == text(&row, 7);
            if !is_usual && !is_stated && text(&row, 2).eq_ignore_ascii_case("innodb") {
                words.push(format!("row_format={format}"));
            }
            // Every table of Aria's has that word, said or not; only its statement tells.
            if let Some(at) = words.iter().position(|word| word.starts_with("transactional="))
                && !self.shown("table", &name)?.contains(&format!(" {}", words[at].to_ascii_uppercase()))
            {
                words.remove(at);
            }
            self.catalogue.tables.push(TableRow {
                name,
                engine: text(&row, 2),
                collation: text(&row, 3),
                options: words,
                comment: text(&row, 6),
            });
        }
        self.versioned = versioned;
        if has_views { self.views() } else { Ok(()) }
    }

    fn views(&mut self) -> Result<(), ServerError> {
        let algorithm = if self.flavor == Flavor::Mariadb { "algorithm" } else { "''" };
        let views = self.ask(&format!(
            "select table_name, view_definition, check_option, {algorithm}, security_type from information_schema.views
             where table_schema = $database"
        ))?;
        for row in views {
            let name = text(&row, 0);
            let mut sql = self.in_database(&text(&row, 1));
            let (mut algorithm, mut columns) = (text(&row, 3).to_ascii_lowercase(), String::new());
            if self.flavor == Flavor::Mysql {
                // Which only that statement tells of it.
                let shown = self.shown("view", &name)?;
                let stated = shown.strip_prefix("CREATE ALGORITHM=").and_then(|rest| rest.split_once(' '));
                algorithm = stated.map(|(word, _)| word.to_ascii_lowercase()).unwrap_or_default();
                let list = shown.split_once(&format!(" VIEW `{}` (", name.replace('`', "``")));
                columns = list
                    .and_then(|(_, rest)| rest.split_once(") AS "))
                    .map(|(list, _)| list.to_owned())
                    .unwrap_or_default();
                sql = in_own_literals(&sql);
            }
            // That table leaves out of which character set a text is, where that is said.
            if self.flavor == Flavor::Mariadb && sql.contains('\'') {
                let shown = self.shown("view", &name)?;
                let query = shown.split_once(&format!(" VIEW `{}` AS ", name.replace('`', "``")));
                if let Some((_, query)) = query {
                    let query = query.trim_end_matches(" WITH CASCADED CHECK OPTION");
                    sql = self.in_database(query.trim_end_matches(" WITH LOCAL CHECK OPTION"));
                }
            }
            match text(&row, 2).as_str() {
                "CASCADED" => sql.push_str(" with cascaded check option"),
                "LOCAL" => sql.push_str(" with local check option"),
                _ => {}
            }
            let mut clauses = String::new();
            if !matches!(algorithm.as_str(), "" | "undefined") {
                clauses.push_str(&format!("algorithm = {algorithm} "));
            }
            if text(&row, 4) == "INVOKER" {
                clauses.push_str("sql security invoker ");
            }
            if clauses.is_empty() && columns.is_empty() {
                self.other(ObjectKind::View, name, None, sql);
                continue;
            }
            // More than a query: an object.
            let quoted = self.session.dialect().quote(&name);
            let list = if columns.is_empty() { String::new() } else { format!(" ({columns})") };
            let (sql, drop) = (format!("create {clauses}view {quoted}{list} as\n{sql}"), format!("drop view {quoted}"));
            let (kind, after) = (ObjectKind::View, Vec::new());
            self.catalogue.others.push(OtherRow { kind, name, table: None, sql, drop, after, comment: None });
        }
        Ok(())
    }

    /// The server writes the database before every name; of the session's own it says nothing.
    fn in_database(&self, sql: &str) -> String {
        let database = self.session.database().replace('`', "``");
        sql.replace(&format!("`{database}`."), "")
    }

    /// A sequence that a default takes numbers from is told with its database; a text that says the same is left alone.
    fn own_sequences(&self, default: String) -> String {
        let database = self.session.database().replace('`', "``");
        let is_text = default.contains('\'');
        let calls = ["nextval(", "lastval("].into_iter().filter(|_| !is_text);
        calls.fold(default, |sql, call| sql.replace(&format!("{call}`{database}`."), call))
    }

    /// Something with the statement that the server says makes it.
    fn as_object(&mut self, kind: ObjectKind, word: &str, name: String) -> Result<(), ServerError> {
        let shown = self.shown(word, &name)?;
        let sql = self.in_database(&shown);
        // Where its numbering stands is nothing that was declared.
        let counter = sql.rfind("AUTO_INCREMENT=").filter(|at| !sql[*at..].contains('\n'));
        let sql = match counter.map(|at| (at, sql[at..].find(' '))) {
            Some((at, Some(length))) => format!("{}{}", &sql[..at], &sql[at + length + 1..]),
            _ => sql,
        };
        let (drop, after) = (format!("drop {word} {}", self.session.dialect().quote(&name)), Vec::new());
        self.catalogue.others.push(OtherRow { kind, name, table: None, sql, drop, after, comment: None });
        Ok(())
    }

    /// What the server says makes a table or sequence.
    fn shown(&mut self, word: &str, name: &str) -> Result<String, ServerError> {
        let quoted = self.session.dialect().quote(name);
        let told = self.session.ask(&format!("show create {word} {quoted}"))?.rows;
        Ok(told.first().map(|row| text(row, 1)).unwrap_or_default())
    }

    /// How a table is partitioned, by its statement, as the option. MariaDB's `information_schema` shows the partition for all
    /// other values as one for 0, and numbers above the largest `bigint` as negative ones, and leaves out what is said of parts
    /// in numbers (seen on 10.11).
    fn told_partitions(&mut self, table: &str) -> Result<Option<String>, ServerError> {
        let sql = self.shown("table", table)?;
        if self.flavor == Flavor::Mariadb {
            return Ok(sql.rsplit_once("\n PARTITION BY ").map(|(_, told)| partitioning(told)));
        }
        // MySQL puts it into a comment for servers that know it.
        let told = sql.rsplit_once("\n PARTITION BY ").or(sql.rsplit_once("\n/*!50100 PARTITION BY "));
        let words = told.map(|(_, rest)| rest.trim_end_matches(" */").split_whitespace().collect::<Vec<_>>());
        let named = |words: Vec<&str>| {
            let mut quoted: Vec<String> = Vec::with_capacity(words.len());
            for word in words {
                // MySQL leaves a plain name as it is.
                let is_name = quoted.last().is_some_and(|last| last.ends_with("PARTITION")) && word != "BY";
                quoted.push(if is_name && !word.starts_with('`') { format!("`{word}`") } else { word.to_owned() });
            }
            format!("partition by {}", quoted.join(" "))
        };
        Ok(words.map(named))
    }

    /// Tables with periods, which their columns, keys and checks do not show as what they are.
    fn periods(&mut self) -> Result<(), ServerError> {
        // A period of the application's is a check of its own, `start < end` (MariaDB, "Application-Time Periods").
        let between = |check: &CheckRow| {
            let sides: Vec<&str> = check.condition.split(" < ").collect();
            matches!(sides[..], [a, b] if [a, b].iter().all(|side| side.starts_with('`') && side.ends_with('`')))
        };
        let mut seen: BTreeSet<String> =
            self.catalogue.checks.iter().filter(|check| between(check)).map(|check| check.table.clone()).collect();
        seen.extend(self.versioned.iter().cloned());
        for table in seen {
            let sql = self.shown("table", &table)?;
            let Some(at) = self.catalogue.tables.iter().position(|one| one.name == table) else { continue };
            if sql.contains("\n  PERIOD FOR ") || sql.contains("PARTITION BY SYSTEM_TIME") {
                self.catalogue.tables.remove(at);
                self.as_object(ObjectKind::Table, "table", table)?;
            } else if self.versioned.contains(&table) {
                self.catalogue.tables[at].options.push("with system versioning".into());
            }
        }
        Ok(())
    }

    fn columns(&mut self) -> Result<(), ServerError> {
        // MySQL 8.4, "The INFORMATION_SCHEMA COLUMNS Table": the reference system of a spatial column.
        let extra = match self.flavor {
            Flavor::Mariadb => "extra",
            Flavor::Mysql => "concat_ws(', ', nullif(extra, ''), concat('srid ', srs_id))",
        };
        let rows = self.ask(&format!(
            "select table_name, column_name, column_type, is_nullable, column_default, {extra}, generation_expression,
                    collation_name, column_comment
             from information_schema.columns where table_schema = $database order by table_name, ordinal_position"
        ))?;
        let mut columns: Vec<_> = rows
            .iter()
            .map(|row| ColumnRow {
                table: text(row, 0),
                name: text(row, 1),
                ty: text(row, 2),
                nullable: text(row, 3) == "YES",
                default: optional(row, 4).map(|sql| match text(row, 5).contains("DEFAULT_GENERATED") {
                    true => self.unescaped(sql),
                    false => self.own_sequences(sql),
                }),
                extra: text(row, 5),
                generated: optional(row, 6).map(|sql| self.unescaped(sql)),
                collation: optional(row, 7),
                comment: text(row, 8),
            })
            .collect();
        for column in columns.iter_mut().filter(|column| column.ty.contains("binary(")) {
            if column.default.as_ref().is_some_and(|default| default.contains('?')) {
                column.default = self.default_bytes(&column.table, &column.name)?.or(column.default.take());
            }
        }
        self.catalogue.columns = columns;
        Ok(())
    }

    /// An expression as it was said: MySQL shows the quotes and backslashes in it with a backslash before each (seen on 9.7,
    /// in `columns`, `check_constraints` and `statistics`).
    fn unescaped(&self, sql: String) -> String {
        if self.flavor == Flavor::Mariadb {
            return sql;
        }
        let sql = encoded_once(sql);
        let (mut said, mut letters) = (String::with_capacity(sql.len()), sql.chars());
        while let Some(letter) = letters.next() {
            said.extend(if letter == '\\' { letters.next() } else { Some(letter) });
        }
        said
    }

    /// A default of bytes that are no text, of which `information_schema` tells only question marks.
    fn default_bytes(&mut self, table: &str, column: &str) -> Result<Option<String>, ServerError> {
        let dialect = self.session.dialect();
        let shown = self.session.shown_bytes(&format!("show create table {}", dialect.quote(table)))?;
        let begins = format!("  `{}` ", column.replace('`', "``"));
        let line = shown.split(|byte| *byte == b'\n').find(|line| line.starts_with(begins.as_bytes()));
        let bytes = line.and_then(default_in).filter(|bytes| std::str::from_utf8(bytes).is_err());
        Ok(bytes.map(|bytes| {
            let digits: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
            format!("x'{digits}'")
        }))
    }

    fn parts(&mut self) -> Result<(), ServerError> {
        let (expression, hidden) = match self.flavor {
            Flavor::Mariadb => ("null", "ignored = 'YES'"),
            Flavor::Mysql => ("expression", "is_visible = 'NO'"),
        };
        // MariaDB has ignored indexes from 10.6.0 on.
        let hidden = if self.session.is_before((10, 6)) { "0" } else { hidden };
        let rows = self.ask(&format!(
            "select table_name, index_name, non_unique, column_name, {expression}, collation, sub_part, index_type,
                    index_comment, {hidden}
             from information_schema.statistics where table_schema = $database
             order by table_name, index_name, seq_in_index"
        ))?;
        for row in rows {
            let mut peculiarities = Vec::new();
            if text(&row, 7) == "VECTOR" {
                peculiarities.extend(self.vector_options(&text(&row, 0), &text(&row, 1))?);
            }
            if let Some(comment) = optional(&row, 8).filter(|comment| !comment.is_empty()) {
                peculiarities.push(format!("comment {}", self.session.dialect().literal(&comment)));
            }
            if text(&row, 9) == "1" {
                peculiarities.push(if self.flavor == Flavor::Mariadb { "ignored" } else { "invisible" }.to_owned());
            }
            self.catalogue.parts.push(PartRow {
                table: text(&row, 0),
                index: text(&row, 1),
                unique: text(&row, 2) == "0",
                column: optional(&row, 3),
                expression: optional(&row, 4).map(|sql| self.unescaped(sql)),
                descending: text(&row, 5) == "D",
                prefix: optional(&row, 6).and_then(|length| length.parse().ok()),
                method: text(&row, 7),
                peculiarities,
            });
        }
        Ok(())
    }

    /// What is said of an index over vectors, which only the table's statement tells: `m=8`, `distance=cosine` (MariaDB 11.7,
    /// "CREATE TABLE with Vectors").
    fn vector_options(&mut self, table: &str, index: &str) -> Result<Vec<String>, ServerError> {
        let sql = self.shown("table", table)?;
        let head = format!("  VECTOR KEY `{}` (", index.replace('`', "``"));
        let line = sql.lines().find_map(|line| line.strip_prefix(&head)?.split_once(')'));
        let options = line.map(|(_, options)| options.trim_end_matches(',').split_whitespace()).into_iter().flatten();
        Ok(options
            .filter(|option| option.contains('='))
            .map(|option| option.replace(['`', '\''], "").to_ascii_lowercase())
            .collect())
    }

    fn references(&mut self, database: &str) -> Result<(), ServerError> {
        let rules = self.ask(
            "select table_name, constraint_name, delete_rule, update_rule
             from information_schema.referential_constraints where constraint_schema = $database",
        )?;
        if rules.is_empty() {
            return Ok(());
        }
        let rows = self.ask(
            "select table_name, constraint_name, column_name, referenced_table_schema, referenced_table_name,
                    referenced_column_name
             from information_schema.key_column_usage
             where table_schema = $database and referenced_table_name is not null
             order by table_name, constraint_name, ordinal_position",
        )?;
        let rules: BTreeMap<(String, String), (String, String)> =
            rules.iter().map(|row| ((text(row, 0), text(row, 1)), (text(row, 2), text(row, 3)))).collect();
        for row in rows {
            let key = (text(&row, 0), text(&row, 1));
            let (on_delete, on_update) = rules.get(&key).cloned().unwrap_or_default();
            let (schema, table) = (text(&row, 3), text(&row, 4));
            self.catalogue.references.push(ReferenceRow {
                table: key.0,
                name: key.1,
                column: text(&row, 2),
                referenced_table: if schema == database { table } else { format!("{schema}.{table}") },
                referenced_column: text(&row, 5),
                on_delete,
                on_update,
            });
        }
        Ok(())
    }

    fn checks(&mut self) -> Result<(), ServerError> {
        match self.flavor {
            Flavor::Mariadb => {
                let rows = self.ask(
                    "select table_name, constraint_name, check_clause, level
                     from information_schema.check_constraints where constraint_schema = $database",
                )?;
                self.catalogue.checks = rows
                    .iter()
                    .map(|row| CheckRow {
                        table: text(row, 0),
                        name: text(row, 1),
                        condition: text(row, 2),
                        of_column: text(row, 3) == "Column",
                        enforced: true,
                    })
                    .collect();
            }
            // There the checks do not say of which table they are.
            Flavor::Mysql => {
                let tables = self.ask(
                    "select table_name, constraint_name, enforced from information_schema.table_constraints
                     where table_schema = $database and constraint_type = 'CHECK'",
                )?;
                let clauses = self.ask(
                    "select constraint_name, check_clause from information_schema.check_constraints
                     where constraint_schema = $database",
                )?;
                let clauses: BTreeMap<String, String> =
                    clauses.iter().map(|row| (text(row, 0), self.unescaped(text(row, 1)))).collect();
                self.catalogue.checks = tables
                    .iter()
                    .map(|row| CheckRow {
                        table: text(row, 0),
                        name: text(row, 1),
                        condition: clauses.get(&text(row, 1)).cloned().unwrap_or_default(),
                        of_column: false,
                        enforced: text(row, 2) == "YES",
                    })
                    .collect();
            }
        }
        Ok(())
    }

    fn programs(&mut self) -> Result<(), ServerError> {
        let dialect = self.session.dialect();
        let mut triggers = self.ask(
            "select event_object_table, trigger_name, action_timing, event_manipulation, action_statement, action_order, sql_mode
             from information_schema.triggers where trigger_schema = $database",
        )?;
        let order = |row: &Row| text(row, 5).parse::<u64>().unwrap_or_default();
        triggers.sort_by_key(|row| (text(row, 0), text(row, 2), text(row, 3), order(row)));
        for (at, row) in triggers.iter().enumerate() {
            // Those of one table and moment fire one after the other.
            let is_beside =
                |one: &&Row| one[2..4] == row[2..4] && one[0] == row[0] && other_mode(&text(one, 6)).is_none();
            let former = triggers[..at].iter().rfind(is_beside);
            let follows = former.map(|one| format!(" follows {}", dialect.quote(&text(one, 1)))).unwrap_or_default();
            let sql = format!(
                "create trigger {} {} {} on {} for each row{follows} {}",
                dialect.quote(&text(row, 1)),
                text(row, 2).to_ascii_lowercase(),
                text(row, 3).to_ascii_lowercase(),
                dialect.quote(&text(row, 0)),
                text(row, 4)
            );
            match other_mode(&text(row, 6)) {
                None => self.other(ObjectKind::Trigger, text(row, 1), optional(row, 0), sql),
                Some(mode) => self.in_other_mode(ObjectKind::Trigger, &text(row, 1), mode, optional(row, 0)),
            }
        }
        self.routines()?;
        self.events()
    }

    /// Routines. What `information_schema` has of their bodies went through the server's own reading of texts, and is not
    /// what was written (MariaDB 10.11: `'a\\b'` comes back as `'a\b'`); the table that the server keeps them in has it.
    fn routines(&mut self) -> Result<(), ServerError> {
        let dialect = self.session.dialect();
        let routines = self.ask(
            "select routine_name, routine_type, sql_mode, character_set_client
             from information_schema.routines where routine_schema = $database",
        )?;
        let sets: BTreeSet<String> = routines.iter().map(|row| text(row, 3)).collect();
        let mut kept = Vec::new();
        for set in sets {
            // Not everybody may read that table, and MySQL does not have it.
            kept.extend(self.kept_routines(&set).unwrap_or_default());
        }
        for row in &routines {
            let (name, kind) = (text(row, 0), text(row, 1));
            let word = kind.to_ascii_lowercase();
            if let Some(mode) = other_mode(&text(row, 2)) {
                let named = if word.starts_with("package") { format!("{word} {name}") } else { name };
                self.in_other_mode(ObjectKind::Routine, &named, mode, None);
                continue;
            }
            let sql = match kept.iter().find(|one| text(one, 0) == name && text(one, 1) == kind) {
                Some(row) => self.routine(row, &word),
                None => self.told_routine(&name, &word)?,
            };
            if sql.is_empty() {
                // MariaDB, "SHOW CREATE PROCEDURE": only its owner, and who may read `mysql.proc`, is told the body.
                self.only_named(ObjectKind::Routine, format!("{name} (whose body this user may not read)"), None);
                continue;
            }
            self.catalogue.others.push(OtherRow {
                kind: ObjectKind::Routine,
                drop: format!("drop {word} {}", dialect.quote(&name)),
                name,
                table: None,
                sql: sql.replace("\r\n", "\n"),
                after: Vec::new(),
                comment: None,
            });
        }
        Ok(())
    }

    /// The routines that were made by clients of a character set. Their texts are kept as bytes of it.
    fn kept_routines(&mut self, set: &str) -> Result<Vec<Row>, ServerError> {
        let [parameters, returns, body] = ["param_list", "returns", "body"].map(|bytes| match set {
            utf8 if utf8.starts_with("utf8") => bytes.to_owned(),
            _ => format!("convert({bytes} using {set})"),
        });
        self.ask(&format!(
            "select name, type, {parameters}, {returns}, is_deterministic, sql_data_access, security_type, comment, {body}, aggregate
             from mysql.proc where db = $database and character_set_client = '{set}'"
        ))
    }

    /// A routine put together from its parts, in the order of the grammar (MariaDB, "CREATE PROCEDURE").
    fn routine(&self, row: &Row, word: &str) -> String {
        let dialect = self.session.dialect();
        let aggregate = if text(row, 9) == "GROUP" { "aggregate " } else { "" };
        let mut sql = format!("create {aggregate}{word} {}({})", dialect.quote(&text(row, 0)), text(row, 2));
        if word == "function" {
            sql.push_str(&format!(" returns {}", text(row, 3)));
        }
        if text(row, 4) == "YES" {
            sql.push_str(" deterministic");
        }
        let access = text(row, 5).to_ascii_lowercase().replace('_', " ");
        if !matches!(access.as_str(), "" | "contains sql") {
            sql.push_str(&format!(" {access}"));
        }
        if text(row, 6) == "INVOKER" {
            sql.push_str(" sql security invoker");
        }
        let comment = text(row, 7);
        if !comment.is_empty() {
            sql.push_str(&format!(" comment {}", dialect.literal(&comment)));
        }
        format!("{sql}\n{}", text(row, 8))
    }

    /// A routine as the server tells it, without who defined it; empty where it does not.
    fn told_routine(&mut self, name: &str, word: &str) -> Result<String, ServerError> {
        let quoted = self.session.dialect().quote(name);
        let told = self.session.ask(&format!("show create {word} {quoted}"))?.rows;
        let told = told.first().map(|row| text(row, 2)).unwrap_or_default();
        let kind = format!(" {} `", word.to_ascii_uppercase());
        Ok(told.find(&kind).map(|at| format!("create{}", &told[at..])).unwrap_or_default())
    }

    fn events(&mut self) -> Result<(), ServerError> {
        let dialect = self.session.dialect();
        let rows = self.ask(
            "select event_name, event_type, execute_at, interval_value, interval_field, starts, ends, on_completion, status,
                    event_comment, event_definition, sql_mode
             from information_schema.events where event_schema = $database",
        )?;
        for row in rows {
            let name = text(&row, 0);
            if let Some(mode) = other_mode(&text(&row, 11)) {
                self.in_other_mode(ObjectKind::Event, &name, mode, None);
                continue;
            }
            let quoted = dialect.quote(&name);
            let mut sql = format!("create event {quoted} on schedule");
            match text(&row, 1).as_str() {
                "ONE TIME" => sql.push_str(&format!(" at {}", dialect.literal(&text(&row, 2)))),
                _ => {
                    let every = text(&row, 3);
                    let is_number = every.bytes().all(|byte| byte.is_ascii_digit());
                    let every = if is_number { every } else { dialect.literal(every.trim_matches('\'')) };
                    sql.push_str(&format!(" every {every} {}", text(&row, 4).to_ascii_lowercase()));
                    for (at, word) in [(5, "starts"), (6, "ends")] {
                        if let Some(moment) = optional(&row, at) {
                            sql.push_str(&format!(" {word} {}", dialect.literal(&moment)));
                        }
                    }
                }
            }
            if text(&row, 7) == "PRESERVE" {
                sql.push_str(" on completion preserve");
            }
            match text(&row, 8).as_str() {
                "DISABLED" => sql.push_str(" disable"),
                "SLAVESIDE_DISABLED" => sql.push_str(" disable on slave"),
                _ => {}
            }
            let comment = text(&row, 9);
            if !comment.is_empty() {
                sql.push_str(&format!(" comment {}", dialect.literal(&comment)));
            }
            sql.push_str(&format!(" do\n{}", text(&row, 10)));
            self.catalogue.others.push(OtherRow {
                kind: ObjectKind::Event,
                drop: format!("drop event {quoted}"),
                name,
                table: None,
                sql,
                after: Vec::new(),
                comment: None,
            });
        }
        Ok(())
    }

    /// How tables of MySQL are partitioned, as the option of each; of what is not said in a few words nothing.
    fn partitions(&mut self) -> Result<BTreeMap<String, Option<String>>, ServerError> {
        let rows = self.ask(
            "select table_name, partition_method, partition_expression, partition_name, partition_description,
                    subpartition_method, partition_comment
             from information_schema.partitions
             where table_schema = $database and partition_name is not null
             order by table_name, partition_ordinal_position",
        )?;
        let mut found: BTreeMap<String, Option<String>> = BTreeMap::new();
        for rows in rows.chunk_by(|a, b| a[0] == b[0]) {
            let (method, expression) = (text(&rows[0], 1).to_ascii_lowercase(), text(&rows[0], 2));
            let dialect = self.session.dialect();
            let is_plain = rows.iter().all(|row| optional(row, 5).is_none() && text(row, 6).is_empty());
            // Those that nobody named are called p0, p1 and so on.
            let is_counted = rows.iter().enumerate().all(|(at, row)| text(row, 3) == format!("p{at}"));
            let option = match method.as_str() {
                _ if !is_plain => None,
                "hash" | "key" | "linear hash" | "linear key" if !is_counted => {
                    let parts: Vec<_> =
                        rows.iter().map(|row| format!("partition {}", dialect.quote(&text(row, 3)))).collect();
                    Some(format!("partition by {method} ({expression}) ({})", parts.join(", ")))
                }
                "hash" | "key" | "linear hash" | "linear key" => {
                    let count = if rows.len() > 1 { format!(" partitions {}", rows.len()) } else { String::new() };
                    Some(format!("partition by {method} ({expression}){count}"))
                }
                "range" | "range columns" | "list" | "list columns" => {
                    let is_range = method.starts_with("range");
                    let parts: Vec<String> = rows
                        .iter()
                        .map(|row| {
                            let (name, bound) = (dialect.quote(&text(row, 3)), text(row, 4));
                            let values = match (is_range, bound.as_str()) {
                                (true, "MAXVALUE") => "values less than maxvalue".to_owned(),
                                (true, _) => format!("values less than ({bound})"),
                                (false, _) => format!("values in ({bound})"),
                            };
                            format!("partition {name} {values}")
                        })
                        .collect();
                    Some(format!("partition by {method} ({expression}) ({})", parts.join(", ")))
                }
                _ => None,
            };
            found.insert(text(&rows[0], 0), option);
        }
        Ok(found)
    }
}

/// An expression whose bytes were taken for letters of latin1 and encoded again, as MySQL shows all of them (seen on 9.7).
fn encoded_once(sql: String) -> String {
    if sql.is_ascii() {
        return sql;
    }
    let bytes: Option<Vec<u8>> = sql.chars().map(|letter| u8::try_from(u32::from(letter)).ok()).collect();
    bytes.and_then(|bytes| String::from_utf8(bytes).ok()).unwrap_or(sql)
}

#[cfg(test)]
mod tests {
    use super::{encoded_once, split_options};

    #[test]
    fn options_are_told_apart() {
        let told = split_options(
            "data directory='/a b/' row_format=compressed comment='it''s'  index directory='/c/' partitioned",
        );
        let apart = [
            "data directory='/a b/'",
            "row_format=compressed",
            "comment='it''s'",
            "index directory='/c/'",
            "partitioned",
        ];
        assert_eq!(told, apart);
    }

    #[test]
    fn what_was_encoded_twice_is_read_once() {
        assert_eq!(encoded_once("(`gr\u{c3}\u{b6}\u{c3}\u{9f}e` > 3)".into()), "(`größe` > 3)");
        assert_eq!(encoded_once("\u{c5}\u{82}".into()), "ł");
        assert_eq!(encoded_once("(`größe` > 3)".into()), "(`größe` > 3)");
        assert_eq!(encoded_once("(`łan` > 3)".into()), "(`łan` > 3)");
    }
}
