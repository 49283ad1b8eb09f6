//! Files changed so that they say another schema: only the lines concerned, comments and layout kept.
//!
//! Both schemas are laid out in standard form; where the two differ for an item, the item's own line in the file is put in
//! place of what stands there, taken out, or added behind its neighbours. Whoever calls this reads the result again: a
//! layout that this does not understand shows as a schema that is not the wanted one.

use std::collections::BTreeMap;

use super::declare::{InLine, declare_table};
use super::syntax::{Clause, ClauseKind, Column, Declaration, DeclarationKind, File, Item, ItemKind, Name, Table};
use super::{declare, parse, print};
use crate::Span;
use crate::diff::{Renames, table_called};
use crate::schema::{Identifier, Schema};

/// What the second schema declares and the first does not.
pub fn added(old: &Schema, new: &Schema, renames: &Renames) -> Vec<Declaration> {
    let before = by_key(declare(old));
    let is_new = |key: &String, declaration: &Declaration| match &declaration.kind {
        DeclarationKind::Table(table) => {
            let name = table.name.value.as_str();
            let has_moved = renames.tables.contains_key(name);
            (has_moved || !before.contains_key(key)) && renames.former_table(name).is_none()
        }
        _ => !before.contains_key(key),
    };
    let after = by_key(declare(new));
    let rescoped: Vec<String> = rescoped(&before, &after).into_values().collect();
    let is_new = |key: &String, one: &Declaration| is_new(key, one) && !rescoped.contains(key);
    after.into_iter().filter(|(key, one)| is_new(key, one)).map(|(_, one)| one).collect()
}

/// The text of a file after the change from one schema to the other; what is added to this file comes behind its last
/// declaration. What is renamed stays where it is. A file in standard form stays in it.
pub fn patched(source: &str, old: &Schema, new: &Schema, renames: &Renames, added: &[&Declaration]) -> String {
    let (file, _) = parse(source);
    let (before, after) = (by_key(declare(old)), by_key(declare(new)));
    let rescoped = rescoped(&before, &after);
    let mut edits: Vec<(Span, String)> = Vec::new();
    for declaration in &file.declarations {
        let key = key_of(declaration);
        if let DeclarationKind::Table(table) = &declaration.kind
            && let renamed = under_new_names(table, new, renames)
            && renamed != *table
        {
            if renamed.name != table.name {
                edits.push((table.name.span, renamed.name.value.declared()));
            }
            let both = with_clauses(table, [as_written(old, table), as_written(new, &renamed)]);
            let columns = renames.columns_of(table.name.value.as_str());
            edits.extend(table_edits(source, &renamed, declaration.span, both, columns));
            continue;
        }
        match (before.get(&key), after.get(rescoped.get(&key).unwrap_or(&key))) {
            (Some(_), None) => edits.push((whole_lines(source, declaration.span), String::new())),
            (Some(from), Some(to)) if from != to => match (&declaration.kind, &from.kind, &to.kind) {
                (DeclarationKind::Table(table), DeclarationKind::Table(_), DeclarationKind::Table(_)) => {
                    let both = with_clauses(table, [as_written(old, table), as_written(new, table)]);
                    edits.extend(table_edits(source, table, declaration.span, both, None));
                }
                _ => edits.push((declaration.span, one(to).trim_end().to_owned())),
            },
            _ => {}
        }
    }
    let mut text = source.to_owned();
    // From the end on, so that places stay true; what comes to one place keeps its order.
    edits.sort_by_key(|(span, _)| (span.start, span.end));
    for (span, instead) in edits.into_iter().rev() {
        text.replace_range(span.start..span.end, &instead);
    }
    for declaration in added {
        if !text.is_empty() && !text.ends_with("\n\n") {
            text.push('\n');
        }
        text.push_str(&one(declaration));
    }
    if print(&file) == source { print(&parse(&text).0) } else { text }
}

/// The table in the words of the one in the file: where it has a clause of a column for something, so has this.
fn as_written(schema: &Schema, written: &Table) -> Table {
    match schema.table(written.name.value.as_str()) {
        Some(table) => declare_table(schema, table, &InLine::as_written(table, written)),
        None => written.clone(),
    }
}

/// A table before and after a change, where a column's line says what is declared below the columns otherwise, since it is not
/// for all that the column is for: if any of it changes, the line is written anew, and that below.
fn with_clauses(written: &Table, [mut before, after]: [Table; 2]) -> [Table; 2] {
    for column in written.items.iter().filter_map(as_column) {
        let clauses = |item: &Item| column.clauses.iter().any(|clause| is_said_by(item, column, clause));
        let is_in_line = |item: &Item| clauses(item) && !written.items.iter().any(|one| is_like(one, item));
        let is_itself = |item: &Item| as_column(item).is_some_and(|one| one.name.value == column.name.value);
        let said = |table: &Table| -> Vec<Item> {
            table.items.iter().filter(|item| is_itself(item) || is_in_line(item)).cloned().collect()
        };
        let is_for_some = before.items.iter().any(&is_in_line);
        if !is_for_some || said(&before) == said(&after) {
            continue;
        }
        before.items.retain(|item| !is_in_line(item));
        let stored = before.items.iter_mut().find_map(|item| match &mut item.kind {
            ItemKind::Column(one) if one.name.value == column.name.value => Some(one),
            _ => None,
        });
        if let Some(stored) = stored {
            stored.clauses = column.clauses.clone();
        }
    }
    [before, after]
}

/// Whether an item is what a clause of a column says.
fn is_said_by(item: &Item, column: &Column, clause: &Clause) -> bool {
    let is_over = |columns: &[Name]| matches!(columns, [only] if only.value == column.name.value);
    match (&item.kind, &clause.kind) {
        (ItemKind::PrimaryKey(key), ClauseKind::PrimaryKey) | (ItemKind::Unique(key), ClauseKind::Unique) => {
            is_over(&key.columns) && item.scope == clause.scope
        }
        // What is said of it may make several of it, each for some providers.
        (ItemKind::ForeignKey(key), ClauseKind::References(_)) => is_over(&key.columns),
        (ItemKind::Check(check), ClauseKind::Check(text)) => {
            same(&check.expression.value, &text.value) && item.scope == clause.scope
        }
        _ => false,
    }
}

/// Whether two items are over the same, for the same.
fn is_like(one: &Item, other: &Item) -> bool {
    let values = |names: &[Name]| names.iter().map(|name| name.value.clone()).collect::<Vec<_>>();
    let is_same = match (&one.kind, &other.kind) {
        (ItemKind::PrimaryKey(one), ItemKind::PrimaryKey(other)) | (ItemKind::Unique(one), ItemKind::Unique(other)) => {
            values(&one.columns) == values(&other.columns)
        }
        (ItemKind::ForeignKey(one), ItemKind::ForeignKey(other)) => values(&one.columns) == values(&other.columns),
        (ItemKind::Check(one), ItemKind::Check(other)) => same(&one.expression.value, &other.expression.value),
        _ => false,
    };
    is_same && one.scope == other.scope
}

fn as_column(item: &Item) -> Option<&Column> {
    match &item.kind {
        ItemKind::Column(column) => Some(column),
        _ => None,
    }
}

fn by_key(file: File) -> BTreeMap<String, Declaration> {
    file.declarations.into_iter().map(|declaration| (key_of(&declaration), declaration)).collect()
}

fn key_of(declaration: &Declaration) -> String {
    match &declaration.kind {
        DeclarationKind::Table(table) => table_key(table),
        DeclarationKind::Enum(owner) => format!("enum {}", owner.name.value),
        DeclarationKind::Rows(rows) => format!("rows {} {:?}", rows.table.value, rows.scope),
        DeclarationKind::Program(program) => {
            let word = program.word.as_ref().map(|word| word.value.as_str()).unwrap_or_default();
            let table = program.table.as_ref().map(|table| table.value.to_string()).unwrap_or_default();
            format!("{} {word} {} {table} {:?}", program.kind.word(), program.name.value, program.scope)
        }
    }
}

/// SQL of the user's own that is for other providers than before: by the old keys, the new ones. Of several under one name it
/// is the one that says the same.
fn rescoped(before: &BTreeMap<String, Declaration>, after: &BTreeMap<String, Declaration>) -> BTreeMap<String, String> {
    let named = |declaration: &Declaration| match &declaration.kind {
        DeclarationKind::Program(program) => {
            Some((program.kind, program.word.clone(), program.name.clone(), program.table.clone()))
        }
        _ => None,
    };
    let body = |declaration: &Declaration| match &declaration.kind {
        DeclarationKind::Program(program) => Some(program.body.value.clone()),
        _ => None,
    };
    let gone = before.iter().filter(|(key, one)| !after.contains_key(*key) && named(one).is_some());
    let pairs = gone.filter_map(|(key, old)| {
        let is_like = |(key, new): &(&String, &Declaration)| !before.contains_key(*key) && named(new) == named(old);
        let alike = || after.iter().filter(is_like);
        let found = alike().find(|(_, new)| body(new) == body(old)).or_else(|| alike().next());
        found.map(|(new, _)| (key.clone(), new.clone()))
    });
    pairs.collect()
}

fn table_key(table: &Table) -> String {
    format!("table {}", table.name.value)
}

/// A table as it stands in the file, but for its name and those of its columns, which `found` has.
fn under_new_names(table: &Table, found: &Schema, renames: &Renames) -> Table {
    let mut renamed = table.clone();
    let old = table.name.value.as_str();
    if let Some(new) = renames.tables.get(old) {
        renamed.name.value = table_called(found, new);
    }
    for item in &mut renamed.items {
        if let ItemKind::Column(column) = &mut item.kind
            && let Some(new) = renames.columns_of(old).and_then(|columns| columns.get(column.name.value.as_str()))
        {
            column.name.value = Identifier::new(&**new);
        }
    }
    renamed
}

/// A declaration in standard form.
fn one(declaration: &Declaration) -> String {
    print(&File { declarations: vec![declaration.clone()], tail: Vec::new() })
}

/// The lines of a table's items in standard form: of columns by their names, of the others by what they are of.
struct Lines {
    columns: Vec<(String, String)>,
    others: Vec<Other>,
}

/// What stands in a table beside its columns.
struct Other {
    /// What it is of, however it is written.
    key: String,
    /// Its line.
    line: String,
}

impl Lines {
    fn of(table: Table) -> Self {
        let kind = DeclarationKind::Table(table);
        let text = one(&Declaration { leading: Vec::new(), kind, span: Span::default(), comment: None });
        let (file, _) = parse(&text);
        let mut lines = Self { columns: Vec::new(), others: Vec::new() };
        let Some(DeclarationKind::Table(table)) = file.declarations.into_iter().next().map(|one| one.kind) else {
            return lines;
        };
        for item in &table.items {
            let line = item.span.text(&text).to_owned();
            match &item.kind {
                ItemKind::Column(column) => lines.columns.push((column.name.value.to_string(), line)),
                _ => lines.others.push(Other { key: item_key(item, &text), line }),
            }
        }
        lines
    }
}

/// What an item is of: a key by its columns, a check by its expression, an index by its name or else its columns.
fn item_key(item: &Item, source: &str) -> String {
    let columns = |names: &[Name]| names.iter().map(|name| name.value.as_str()).collect::<Vec<_>>().join(", ");
    let plain = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
    let key = match &item.kind {
        ItemKind::PrimaryKey(_) => "primary key".to_owned(),
        ItemKind::Unique(key) => format!("unique {}", columns(&key.columns)),
        ItemKind::ForeignKey(key) => format!("foreign key {} {}", columns(&key.columns), key.table.value),
        ItemKind::Check(check) => format!("check {}", plain(&check.expression.value)),
        ItemKind::Index(index) => match &index.name {
            Some(name) => format!("index {}", name.value),
            None => format!("index {:?}", index.parts.iter().map(|part| &part.key).collect::<Vec<_>>()),
        },
        _ => plain(item.span.text(source)),
    };
    format!("{key} {:?}", item.scope)
}

/// The same text but for white space.
fn same(a: &str, b: &str) -> bool {
    a.split_whitespace().eq(b.split_whitespace())
}

fn table_edits(
    source: &str,
    table: &Table,
    span: Span,
    [from, to]: [Table; 2],
    renames: Option<&BTreeMap<String, String>>,
) -> Vec<(Span, String)> {
    let (mut old, new) = (Lines::of(from), Lines::of(to));
    for (name, _) in &mut old.columns {
        if let Some(new) = renames.and_then(|columns| columns.get(name)) {
            name.clone_from(new);
        }
    }
    let mut edits = Vec::new();
    let columns = || {
        table.items.iter().filter_map(|item| match &item.kind {
            ItemKind::Column(column) => Some((column.name.value.to_string(), item)),
            _ => None,
        })
    };
    for (name, item) in columns() {
        let before = old.columns.iter().find(|(other, _)| *other == name);
        let after = new.columns.iter().find(|(other, _)| *other == name);
        match (before, after) {
            (Some(_), None) => edits.push((whole_lines(source, item.span), String::new())),
            (Some((_, before)), Some((_, after))) if !same(before, after) => edits.push((item.span, after.clone())),
            _ => {}
        }
    }
    let close = source[span.start..span.end].rfind('}').map_or(span.end, |at| span.start + at);
    let line_of = |at: usize| source[..at].rfind('\n').map_or(0, |end| end + 1);
    // As the lines around it are.
    let indent = table.items.first().map_or("    ", |item| {
        let before = &source[line_of(item.span.start)..item.span.start];
        if before.trim().is_empty() && !before.is_empty() { before } else { "    " }
    });
    let behind = |item: Option<&Item>| match item {
        Some(item) => source[item.span.end..].find('\n').map_or(source.len(), |at| item.span.end + at + 1),
        None => line_of(close),
    };
    for (at, (name, line)) in new.columns.iter().enumerate() {
        if old.columns.iter().any(|(other, _)| other == name) {
            continue;
        }
        let earlier = new.columns[..at].iter().rev().find_map(|(name, _)| columns().find(|(other, _)| other == name));
        let place = behind(earlier.map(|(_, item)| item).or_else(|| columns().next_back().map(|(_, item)| item)));
        edits.push((Span::new(place, place), format!("{indent}{line}\n")));
    }
    let others = || table.items.iter().filter(|item| !matches!(item.kind, ItemKind::Column(_)));
    let missing = |list: &[Other], other: &Other| !list.iter().any(|one| same(&one.line, &other.line));
    let mut added: Vec<&Other> = new.others.iter().filter(|other| missing(&old.others, other)).collect();
    for other in old.others.iter().filter(|other| missing(&new.others, other)) {
        // Two of the same columns differ in their names.
        let just_so = others().find(|item| same(item.span.text(source), &other.line));
        let Some(item) = just_so.or_else(|| others().find(|item| item_key(item, source) == other.key)) else {
            continue;
        };
        // What it is now stands in its place.
        match added.iter().position(|one| one.key == other.key) {
            Some(at) => edits.push((item.span, added.remove(at).line.clone())),
            None => edits.push((whole_lines(source, item.span), String::new())),
        }
    }
    for Other { line, .. } in added {
        // What is said of the table itself stands at its head.
        let is_head = line.starts_with("about ") || line.starts_with("option ");
        let place = match is_head {
            true => source[span.start..].find('\n').map_or(span.end, |at| span.start + at + 1),
            false => behind(others().next_back().or_else(|| table.items.last())),
        };
        edits.push((Span::new(place, place), format!("{indent}{line}\n")));
    }
    edits
}

/// The lines that a span stands on, with their ends.
fn whole_lines(source: &str, span: Span) -> Span {
    let start = source[..span.start].rfind('\n').map_or(0, |at| at + 1);
    let end = source[span.end..].find('\n').map_or(source.len(), |at| span.end + at + 1);
    Span::new(start, end)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::{Source, resolve};

    fn schema(text: &str) -> Schema {
        let sources = [Source { name: "a".into(), text: text.into() }];
        resolve(&sources).schema.expect("it is well-formed")
    }

    fn all_in_one(old: &str, new: &str, renames: &Renames) -> String {
        let (old_schema, new) = (schema(old), schema(new));
        let added = added(&old_schema, &new, renames);
        patched(old, &old_schema, &new, renames, &added.iter().collect::<Vec<_>>())
    }

    #[test]
    fn what_a_line_says_for_some_providers_stays_when_it_is_written_anew() {
        let table =
            |items: &str| format!("table hive {{\n    id:       int64, identity\n{items}\n    primary key (id)\n}}\n");
        let below = "    check (code <> 'x'), for sqlite\n    foreign key (mate_id) references hive (id) on delete cascade, for sqlite, postgres, mysql, sqlserver\n    foreign key (mate_id) references hive (id), for mariadb";
        let old = table(
            "    code:     text(10), unique for postgres, check (code <> 'x') for sqlite\n    mate_id:  references hive, null, on delete cascade except mariadb\n",
        );
        // The length of the one, and that the other has to be given; what is for PostgreSQL alone goes.
        let new = table(&format!("    code: text(12)\n    mate_id: int64\n    primary key (id)\n{below}\n")).replacen(
            "    primary key (id)\n",
            "",
            1,
        );
        let text = all_in_one(&old, &new, &Renames::default());
        assert_eq!(schema(&text), schema(&new), "{text}");
        assert!(text.contains("    code:     text(12)\n    mate_id:  int64\n"), "{text}");
        // A line that does not change stays.
        let other = old.replace("identity", "identity, about \"number\"");
        let text = all_in_one(&old, &other, &Renames::default());
        assert_eq!(text, other);
    }

    #[test]
    fn only_the_lines_concerned_change() {
        let old = "# bees\ntable hive { # all of them\n    # its number\n    id:    int64, identity\n\n    code:  text(12)   # painted\n    gone: int32, null\n\n    primary key (id)\n    unique  one (code)\n    # fast\n    index (code desc)\n}\n";
        let new = "table hive {\n    about \"a box\"\n    id: int64, identity\n    kg: int32, null\n    code: text(20), null\n    primary key (id)\n    check few (kg < 9)\n    index (code desc)\n}\ntable more { a: int32\n primary key (a) }\n";
        let text = all_in_one(old, new, &Renames::default());
        insta::assert_snapshot!(text, @r#"
        # bees
        table hive { # all of them
            about "a box"
            # its number
            id:    int64, identity
            kg:    int32, null

            code:  text(20), null   # painted

            primary key (id)
            # fast
            index (code desc)
            check few (kg < 9)
        }

        table more {
            a:  int32

            primary key (a)
        }
        "#);
        assert_eq!(schema(&text), schema(new));
    }

    #[test]
    fn what_is_written_at_a_column_is_found_there_and_elsewhere() {
        let old = "table box {\n  id: int32, primary key\n  code: text(9), unique   # painted\n  kg: int32, check (kg > 0)\n}\ntable visit {\n  id: int32, primary key\n  box_id: references box   # where\n  other: int32\n  third: int32, unique\n  foreign key (other) references box (id)  # old\n  unique (other)\n}\n";
        let new = "table box {\n  id: int32, primary key\n  code: text(9)\n  kg: int32, null, check (kg > 0)\n  check (kg < 9)\n}\ntable visit {\n  id: int32, primary key\n  box_id: references box, on delete cascade\n  other: int32\n  third: int32, unique\n  fourth: references box, unique\n  foreign key (other) references box (id) on update cascade\n}\n";
        let text = all_in_one(old, new, &Renames::default());
        insta::assert_snapshot!(text, @r"
        table box {
          id: int32, primary key
          code:  text(9)   # painted
          kg:    int32, null, check (kg > 0)
          check (kg < 9)
        }
        table visit {
          id: int32, primary key
          box_id:  int32, references box(id), on delete cascade   # where
          other: int32
          third: int32, unique
          fourth:  int32, unique, references box(id)
          foreign key (other) references box (id) on update cascade  # old
        }
        ");
        assert_eq!(schema(&text), schema(new));
    }

    #[test]
    fn what_is_renamed_keeps_its_place_and_its_comments() {
        let old = "# boxes\ntable box { # all\n    # its number\n    id: int32\n    code: text(9)  # painted\n    kg: int32\n    primary key (id)\n    # fast\n    index by_code (code)\n}\n\ntable visit {\n    id: int32, primary key\n    box_id: references box # where\n}\n";
        let new = "table hive {\n id: int32\n sign: text(9)\n kg: int32\n primary key (id)\n index by_code (sign)\n}\ntable visit {\n id: int32, primary key\n box_id: references hive\n}\n";
        let renames = Renames {
            tables: [("box".to_owned(), "hive".to_owned())].into(),
            columns: [("box".to_owned(), [("code".to_owned(), "sign".to_owned())].into())].into(),
            ..Renames::default()
        };
        let text = all_in_one(old, new, &renames);
        insta::assert_snapshot!(text, @r"
        # boxes
        table hive { # all
            # its number
            id: int32
            sign:  text(9)  # painted
            kg: int32
            primary key (id)
            # fast
            index by_code (sign)
        }

        table visit {
            id: int32, primary key
            box_id:  int32, references hive(id) # where
        }
        ");
        assert_eq!(schema(&text), schema(new));
    }

    #[test]
    fn what_is_for_others_than_before_keeps_its_place() {
        let view = |query: &str, scope: &str| format!("view heavy ```\n    {query}\n```{scope}\n");
        let table = "\ntable hive {\n    id:  int32\n\n    primary key (id)\n}\n";
        let (first, second) = ("select id from hive", "select id from hive limit 1");
        let old = format!("# the heavy ones\n{}{table}", view(first, ""));
        let new = format!("{}{}{table}", view(second, " for postgres"), view(first, " except postgres"));
        let expected =
            format!("# the heavy ones\n{}{table}\n{}", view(first, " except postgres"), view(second, " for postgres"));
        assert_eq!(all_in_one(&old, &new, &Renames::default()), expected);
    }

    #[test]
    fn of_two_that_say_the_same_the_one_that_went_goes() {
        let text =
            |keys: &str| format!("table a {{\n    id:  int32\n    b:   int32\n\n    primary key (id)\n{keys}}}\n");
        let (one, two) = ("    foreign key (b) references a (id)\n", "    foreign key again (b) references a (id)\n");
        let old = text(&format!("{one}{two}"));
        for left in [one, two] {
            let new = text(left);
            assert_eq!(all_in_one(&old, &new, &Renames::default()), new);
        }
    }
}
