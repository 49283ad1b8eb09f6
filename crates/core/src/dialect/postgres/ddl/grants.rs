//! Privileges in a file, put as the catalogue gives them: a row for each object and role, whatever way they were written.

use super::{PUBLIC, Reader, Reading};
use crate::dialect::postgres::catalogue::OtherRow;
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::Cursor;

/// What somebody is given a right on.
struct On {
    /// Its words in a statement: `hive`, `sequence ticket`, `schema sales`.
    sql: String,
    /// What it is called here: `hive`, `ticket`, `namespace sales`.
    label: String,
    /// What has to be there before.
    after: String,
    /// Everything that can be given on it (PostgreSQL 17, "Privileges", table "Summary of Access Privileges"; what a version
    /// adds has to be said by its name).
    all: &'static [&'static str],
}

impl On {
    /// Rights by their names; beside those of a table there stays `all`, which are more on a later version.
    fn spelled(&self, words: &[String]) -> Vec<String> {
        if !words.iter().any(|word| word == ALL) {
            return words.to_vec();
        }
        let all = self.all.iter().copied().chain((self.all == ON_TABLE).then_some(ALL));
        all.map(str::to_owned).collect()
    }
}

/// Every right that there is.
const ALL: &str = "all";

/// What a role may pass on.
const WITH_OPTION: &str = " with grant option";

/// Whoever runs the file: the owner of what it makes, who has every right on it.
const OWNER: &str = "current_user";

const ON_TABLE: &[&str] = &["delete", "insert", "references", "select", "trigger", "truncate", "update"];

impl Reader {
    /// `grant … on … to …`; a role that is given to a role is none of the schema's.
    pub(super) fn grant(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let Some((privileges, columns)) = privileges(cursor)? else { return Ok(Read::PassedOver) };
        let Some(objects) = self.granted_on(cursor)? else { return Ok(Read::PassedOver) };
        cursor.expect("to").here()?;
        let mut roles = roles(cursor)?;
        let is_grantable = cursor.eat_all(&["with", "grant", "option"]);
        ends(cursor)?;
        if is_grantable && roles.iter().any(|role| role == OWNER) {
            return Ok(Read::PassedOver);
        }
        roles.retain(|role| role != OWNER);
        for (on, role) in objects.iter().flat_map(|on| roles.iter().map(move |role| (on, role))) {
            if is_usual_place(on) && role == "public" {
                self.of_usual_place(&privileges, true);
                continue;
            }
            if everybody_has(on) && role == "public" {
                // It is only given back.
                self.take(&format!("public not on {}", on.label));
                continue;
            }
            if !privileges.is_empty() {
                self.give(on, role, &privileges, None, is_grantable);
            }
            for (column, privileges) in &columns {
                self.give(on, role, privileges, Some(column), is_grantable);
            }
        }
        Ok(Read::Done)
    }

    /// `revoke all on function … from public` takes what everybody has; else what was given before is taken.
    pub(super) fn revoke(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let Some((privileges, columns)) = privileges(cursor)? else { return Ok(Read::PassedOver) };
        let Some(objects) = self.granted_on(cursor)? else { return Ok(Read::PassedOver) };
        cursor.expect("from").here()?;
        let roles = roles(cursor)?;
        let _ = cursor.eat("restrict") || cursor.eat("cascade");
        ends(cursor)?;
        let mut is_taken = objects.is_empty();
        for (on, role) in objects.iter().flat_map(|on| roles.iter().map(move |role| (on, role))) {
            if role == "public" && is_usual_place(on) {
                self.of_usual_place(&privileges, false);
                is_taken = true;
            } else if role == "public" && everybody_has(on) {
                self.take_from_everybody(on);
                is_taken = true;
            } else if columns.is_empty() {
                is_taken |= self.take_given(on, role, &privileges);
            }
        }
        Ok(if is_taken { Read::Done } else { Read::PassedOver })
    }

    /// Takes a right out; whether it was there.
    fn take(&mut self, name: &str) -> bool {
        let before = self.catalogue.others.len();
        self.catalogue.others.retain(|row| row.kind != ObjectKind::Grant || row.name != name);
        self.catalogue.others.len() < before
    }

    /// The rights that stand under a name.
    fn words_of(&self, name: &str) -> Vec<String> {
        let mut rows = self.catalogue.others.iter();
        let found = rows.find(|row| row.kind == ObjectKind::Grant && row.name == name);
        found.map(|row| words_given(&row.sql)).unwrap_or_default()
    }

    fn take_words(&mut self, name: &str) -> Vec<String> {
        let words = self.words_of(name);
        self.take(name);
        words
    }

    /// Takes rights from a role that has them; whether it had one.
    fn take_given(&mut self, on: &On, role: &str, privileges: &[String]) -> bool {
        let mut is_taken = false;
        for option in ["", WITH_OPTION] {
            let name = format!("{role} on {}{option}", on.label);
            let words = on.spelled(&self.words_of(&name));
            // What is left is not all any more.
            let is_kept = |word: &String| word != ALL && !privileges.iter().any(|one| one == ALL || one == word);
            let kept: Vec<String> = words.into_iter().filter(is_kept).collect();
            is_taken |= self.take(&name);
            if !kept.is_empty() {
                self.give(on, role, &kept, None, !option.is_empty());
            }
        }
        is_taken
    }

    /// Takes what everybody has where nobody says otherwise.
    fn take_from_everybody(&mut self, on: &On) {
        let name = format!("public not on {}", on.label);
        self.take(&name);
        let (word, sql) = (on.all[0], &on.sql);
        self.catalogue.others.push(OtherRow {
            kind: ObjectKind::Grant,
            name,
            table: None,
            sql: format!("revoke {word} on {sql} from public"),
            drop: format!("grant {word} on {sql} to public"),
            after: vec![on.after.clone()],
            comment: None,
        });
    }

    /// What everybody may in `public`: use it, unless that is taken from them (PostgreSQL 15, "Schemas and Privileges").
    fn of_usual_place(&mut self, privileges: &[String], is_given: bool) {
        let concerns = |word: &str| privileges.iter().any(|one| one == ALL || one == word);
        for (word, name, is_usual) in
            [("usage", "public not on namespace public", true), ("create", "public on namespace public", false)]
        {
            if !concerns(word) {
                continue;
            }
            self.catalogue.others.retain(|row| row.kind != ObjectKind::Grant || row.name != name);
            if is_given != is_usual {
                let (give, take) = (
                    format!("grant {word} on schema public to public"),
                    format!("revoke {word} on schema public from public"),
                );
                let (sql, drop) = if is_given { (give, take) } else { (take, give) };
                self.other(ObjectKind::Grant, name.to_owned(), sql, drop);
            }
        }
    }

    /// `alter default privileges for role … grant … on … to …`. Whose they are where no role is named, a file does not say.
    pub(super) fn default_privileges(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        if !cursor.eat_all(&["for", "role"]) && !cursor.eat_all(&["for", "user"]) {
            return Ok(Read::PassedOver);
        }
        let makers = roles(cursor)?;
        if makers.iter().any(|maker| maker == OWNER) {
            return Ok(Read::PassedOver);
        }
        let places = match cursor.eat_all(&["in", "schema"]) {
            true => roles(cursor)?.into_iter().map(Some).collect(),
            false => vec![None],
        };
        let is_given = cursor.eat("grant");
        if !is_given {
            cursor.expect("revoke").here()?;
        }
        let Some((mut words, _)) = privileges(cursor)? else { return Err(Stop::Here) };
        cursor.expect("on").here()?;
        let things = cursor.name().here()?.to_ascii_lowercase();
        let all: &[&str] = match things.as_str() {
            "tables" => ON_TABLE,
            "sequences" => &["select", "update", "usage"],
            "functions" | "routines" => &["execute"],
            "types" => &["usage"],
            "schemas" => &["create", "usage"],
            _ => return Err(Stop::Here),
        };
        let things = if things == "routines" { "functions".to_owned() } else { things };
        if all != ON_TABLE && words.iter().any(|word| word == ALL) {
            words = all.iter().map(|word| (*word).to_owned()).collect();
        }
        words.sort();
        let (word, back) = if is_given { ("grant", "revoke") } else { ("revoke", "grant") };
        cursor.expect(if is_given { "to" } else { "from" }).here()?;
        let roles = roles(cursor)?;
        let option = if cursor.eat_all(&["with", "grant", "option"]) { " with grant option" } else { "" };
        ends(cursor)?;
        for (maker, place) in makers.iter().flat_map(|maker| places.iter().map(move |place| (maker, place))) {
            let within = place.as_ref().map(|place| format!(" in schema {place}")).unwrap_or_default();
            let beside = place.as_ref().map(|place| format!(" in {place}")).unwrap_or_default();
            for who in &roles {
                let statement = |word: &str| {
                    let end = if word == "grant" { format!("to {who}{option}") } else { format!("from {who}") };
                    let what = words.join(", ");
                    format!("alter default privileges for role {maker}{within} {word} {what} on {things} {end}")
                };
                let not = if is_given { "" } else { "not " };
                let name = format!("{not}{who} on {things} of {maker}{beside}{option}");
                self.other(ObjectKind::DefaultPrivileges, name, statement(word), statement(back));
            }
        }
        Ok(Read::Done)
    }

    /// What stands behind `on`; nothing where that is no part of a schema.
    fn granted_on(&mut self, cursor: &mut Cursor<'_>) -> Reading<Option<Vec<On>>> {
        cursor.expect("on").here()?;
        let word = cursor.peek().to_ascii_lowercase();
        if cursor.eat("all") {
            return self.all_in_schema(cursor).map(Some);
        }
        if matches!(word.as_str(), "database" | "language" | "large" | "tablespace" | "parameter") {
            return Ok(None);
        }
        let mut words = vec![word.clone()];
        match word.as_str() {
            "table" | "sequence" | "schema" | "function" | "procedure" | "routine" | "type" | "domain" => cursor.skip(),
            "foreign" => {
                words = vec![word];
                cursor.skip();
                while cursor.is_one_of(&["data", "wrapper", "server"])
                    && words.last().is_some_and(|last| last != "server")
                {
                    words.push(cursor.peek().to_ascii_lowercase());
                    cursor.skip();
                }
            }
            _ => words = vec!["table".to_owned()],
        }
        let kind = words.join(" ");
        let mut objects = Vec::new();
        let mut are_ours = true;
        loop {
            // A namespace is in no other, nor is a server.
            let name = match kind.as_str() {
                "table" | "sequence" | "type" | "domain" | "function" | "procedure" | "routine" => {
                    self.relation(cursor)?
                }
                _ => qualified::part(&cursor.name().here()?).into_owned(),
            };
            // What the server itself is made of is nobody's to declare.
            are_ours &= !["pg_catalog.", "information_schema."].iter().any(|place| name.starts_with(place));
            let quoted = quote_object(&name);
            let plain = |sql: String, label: String, all| On { sql, label, after: name.clone(), all };
            objects.push(match kind.as_str() {
                "table" => on_table(&name),
                "sequence" => on_sequence(&name),
                "schema" => plain(format!("schema {quoted}"), format!("namespace {name}"), &["create", "usage"]),
                "type" | "domain" => plain(format!("type {quoted}"), format!("type {name}"), &["usage"]),
                "function" | "procedure" | "routine" => {
                    let arguments = self.argument_types(cursor.parenthesised().unwrap_or_default());
                    on_routine(&name, &arguments)
                }
                other => plain(format!("{other} {quoted}"), format!("{other} {quoted}"), &["usage"]),
            });
            if !cursor.eat(",") {
                return Ok(are_ours.then_some(objects));
            }
        }
    }

    /// What stands behind `on all`: what there is of a kind in namespaces by now.
    fn all_in_schema(&self, cursor: &mut Cursor<'_>) -> Reading<Vec<On>> {
        let kind = cursor.name().here()?.to_ascii_lowercase();
        cursor.eat_all(&["in", "schema"]).then_some(()).here()?;
        let mut places = Vec::new();
        loop {
            places.push(cursor.name().here()?);
            if !cursor.eat(",") {
                break;
            }
        }
        let is_inside = |name: &str| {
            let place = qualified::split(name).0.map_or(PUBLIC.into(), qualified::plain);
            places.iter().any(|one| *one == place)
        };
        let catalogue = &self.catalogue;
        let others = |kinds: &'static [ObjectKind]| {
            catalogue.others.iter().filter(move |row| kinds.contains(&row.kind)).map(|row| row.name.as_str())
        };
        match kind.as_str() {
            "tables" => {
                let kinds =
                    &[ObjectKind::View, ObjectKind::MaterializedView, ObjectKind::ForeignTable, ObjectKind::Partition];
                let names = catalogue.tables.iter().map(|row| row.name.as_str()).chain(others(kinds));
                Ok(names.filter(|name| is_inside(name)).map(on_table).collect())
            }
            "sequences" => {
                let names = catalogue.sequences.iter().map(|row| row.name.as_str());
                Ok(names.filter(|name| is_inside(name)).map(on_sequence).collect())
            }
            "functions" | "procedures" | "routines" => {
                // The types of its arguments stand in what drops it, whatever it is called.
                let routine = |row: &OtherRow| {
                    let name = row.name.split('(').next().filter(|name| is_inside(name))?;
                    let (_, arguments) = row.drop.strip_suffix(')')?.split_once('(')?;
                    Some(on_routine(name, arguments))
                };
                let is_routine = |row: &&OtherRow| matches!(row.kind, ObjectKind::Routine | ObjectKind::Aggregate);
                Ok(catalogue.others.iter().filter(is_routine).filter_map(routine).collect())
            }
            _ => Err(Stop::Here),
        }
    }

    /// Adds to what a role has on an object, or on a column of it.
    fn give(&mut self, on: &On, role: &str, privileges: &[String], column: Option<&str>, is_grantable: bool) {
        let (option, who) = (if is_grantable { WITH_OPTION } else { "" }, role);
        let column_label = column.map(|column| format!(".{column}")).unwrap_or_default();
        let name = format!("{who} on {}{column_label}{option}", on.label);
        // Of a column there are no rights to delete and the like.
        let of_column =
            |word: &String| column.is_none() || ["insert", "references", "select", "update"].contains(&word.as_str());
        let mut given = on.spelled(privileges);
        given.retain(of_column);
        let beside = format!("{who} on {}{column_label}{}", on.label, if is_grantable { "" } else { WITH_OPTION });
        if is_grantable {
            // Whoever may pass a right on has it once.
            let had = on.spelled(&self.take_words(&beside));
            let kept: Vec<String> = had.into_iter().filter(|word| word != ALL && !given.contains(word)).collect();
            if !kept.is_empty() {
                self.give(on, role, &kept, column, false);
            }
        } else {
            let passes_on = on.spelled(&self.words_of(&beside));
            given.retain(|word| !passes_on.contains(word));
            if given.is_empty() {
                return;
            }
        }
        given.extend(self.take_words(&name));
        if given.iter().any(|word| word == ALL) {
            given = vec![ALL.to_owned()];
        }
        given.sort();
        given.dedup();
        let column = column.map(|column| format!(" ({})", quote(column))).unwrap_or_default();
        let words = given.iter().map(|word| format!("{word}{column}")).collect::<Vec<_>>().join(", ");
        self.catalogue.others.push(OtherRow {
            kind: ObjectKind::Grant,
            name,
            table: None,
            sql: format!("grant {words} on {} to {who}{option}", on.sql),
            drop: format!("revoke {words} on {} from {who}", on.sql),
            after: vec![on.after.clone()],
            comment: None,
        });
    }
}

/// The rights that a statement of ours gives.
fn words_given(sql: &str) -> Vec<String> {
    let words = sql.strip_prefix("grant ").and_then(|rest| rest.split_once(" on ")).map(|(words, _)| words);
    let bare = |word: &str| word.split(" (").next().unwrap_or_default().to_owned();
    words.map(|words| words.split(", ").map(bare).collect()).unwrap_or_default()
}

fn on_table(name: &str) -> On {
    On { sql: quote_object(name), label: name.to_owned(), after: name.to_owned(), all: ON_TABLE }
}

fn on_sequence(name: &str) -> On {
    let (sql, all) = (format!("sequence {}", quote_object(name)), &["select", "update", "usage"]);
    On { sql, label: name.to_owned(), after: name.to_owned(), all }
}

fn on_routine(name: &str, arguments: &str) -> On {
    let routine = format!("routine {}({arguments})", quote_object(name));
    On { sql: routine.clone(), label: routine, after: name.to_owned(), all: &["execute"] }
}

/// Whether it is of a kind that everybody may use (PostgreSQL 17, "Privileges").
fn everybody_has(on: &On) -> bool {
    on.sql.starts_with("routine ") || on.sql.starts_with("type ")
}

/// Whether it is the namespace that is always there.
fn is_usual_place(on: &On) -> bool {
    on.sql == "schema public"
}

/// What is given on whole objects, and what on columns of them.
type Privileges = (Vec<String>, Vec<(String, Vec<String>)>);

/// Nothing for roles that are given: those are not on anything.
fn privileges(cursor: &mut Cursor<'_>) -> Reading<Option<Privileges>> {
    let (mut whole, mut columns): Privileges = Default::default();
    cursor.eat_all(&["grant", "option", "for"]);
    loop {
        let word = cursor.name().here()?.to_ascii_lowercase();
        cursor.eat("privileges");
        if cursor.is("(") {
            let mut inside = Cursor::new(cursor.parenthesised().here()?, super::SYNTAX);
            while let Some(name) = inside.name() {
                match columns.iter_mut().find(|(column, _)| *column == name) {
                    Some((_, words)) => words.push(word.clone()),
                    None => columns.push((name, vec![word.clone()])),
                }
                inside.eat(",");
            }
        } else {
            whole.push(word);
        }
        if cursor.is("to") || cursor.is("from") || cursor.is_at_end() {
            return Ok(None);
        }
        if !cursor.eat(",") {
            return Ok(cursor.is("on").then_some((whole, columns)));
        }
    }
}

/// Nothing stands behind it but by whom it was given.
fn ends(cursor: &mut Cursor<'_>) -> Reading<()> {
    if cursor.eat_all(&["granted", "by"]) {
        cursor.name().here()?;
    }
    if cursor.is_at_end() { Ok(()) } else { Err(Stop::Here) }
}

fn roles(cursor: &mut Cursor<'_>) -> Reading<Vec<String>> {
    let mut roles = Vec::new();
    loop {
        cursor.eat("group");
        let is_everybody = cursor.is("public");
        let is_owner = cursor.is_one_of(&["current_user", "current_role", "session_user"]);
        let name = cursor.name().here()?;
        roles.push(match (is_everybody, is_owner) {
            (true, _) => name.to_ascii_lowercase(),
            (_, true) => OWNER.to_owned(),
            _ => quote(&name),
        });
        if !cursor.eat(",") {
            return Ok(roles);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::postgres::SYNTAX;
    use crate::dialect::reading::Statements;

    #[test]
    fn rights_on_the_catalogue_itself_are_passed_over() {
        let passes_over = |sql: &str| {
            let mut reader = Reader::default();
            let made = "create table hive (id int)";
            assert!(reader.statement(&mut Cursor::new(made, SYNTAX), made).is_ok());
            match reader.statement(&mut Cursor::new(sql, SYNTAX), sql) {
                Ok(read) => matches!(read, Read::PassedOver),
                Err(_) => panic!("{sql} is not read"),
            }
        };
        assert!(passes_over("grant select (rolname) on table pg_catalog.pg_authid to reader"));
        assert!(passes_over("revoke select on information_schema.tables from reader"));
        assert!(!passes_over("grant select on hive to reader"));
    }
}
