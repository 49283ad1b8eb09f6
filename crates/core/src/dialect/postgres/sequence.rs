//! The numbers of a sequence: where they begin and end, and in which steps.

use super::SYNTAX;
use super::attributes::identity_range;
use super::catalogue::SequenceRow;
use super::quote::{literal, quote_object};
use crate::physical::{Column, Program, TypeName};
use crate::schema::Identity;
use crate::sql::Cursor;

/// The least and the greatest number.
pub(super) type Range = (i64, i64);

/// What was said of where a sequence begins and ends.
#[derive(Default)]
pub(super) struct Limits {
    start: Option<i64>,
    least: Option<i64>,
    most: Option<i64>,
}

/// Between which numbers a sequence of such a type and step goes where nothing else is said (PostgreSQL 17, "CREATE
/// SEQUENCE").
pub(super) fn usual_range(ty: &str, step: i64) -> Range {
    let highest = match ty {
        "smallint" => i64::from(i16::MAX),
        "integer" => i64::from(i32::MAX),
        _ => i64::MAX,
    };
    if step < 0 { (-highest - 1, -1) } else { (1, highest) }
}

/// The range that an identity column of a type needs where its first number is beyond the usual one.
fn range_for(ty: &str, identity: &Identity) -> Option<Range> {
    let step = identity.by.unwrap_or(1);
    let (least, most) = usual_range(ty, step);
    let from = identity.from.filter(|from| !(least..=most).contains(from))?;
    // A number beyond the type's own is no first number at all.
    let ((type_least, _), (_, type_most)) = (usual_range(ty, -1), usual_range(ty, 1));
    (type_least..=type_most).contains(&from).then_some(if step < 0 { (least, from) } else { (from, most) })
}

/// The attribute that follows from the first number of an identity column.
pub(super) fn implied_range(column: &Column) -> Option<String> {
    let range = range_for(&integer(&column.ty), column.identity.as_deref()?)?;
    Some(identity_range(range))
}

/// The type of an identity column as its sequence has it.
pub(super) fn integer(ty: &TypeName) -> String {
    ty.canonical().to_ascii_lowercase()
}

impl SequenceRow {
    /// One that nothing was said of yet.
    pub(super) fn new(name: String, ty: String) -> Self {
        let (least, most) = usual_range(&ty, 1);
        Self { name, ty, start: least, step: 1, least, most, cache: 1, ..Self::default() }
    }

    /// What is not as usual of where it begins and ends.
    pub(super) fn limits(&self) -> Limits {
        let (least, most) = usual_range(&self.ty, self.step);
        Limits {
            start: Some(self.start),
            least: Some(self.least).filter(|one| *one != least),
            most: Some(self.most).filter(|one| *one != most),
        }
    }

    /// Gives it what was said, and what follows from its type and step where nothing was.
    pub(super) fn limit(&mut self, limits: &Limits) {
        let (least, most) = usual_range(&self.ty, self.step);
        self.least = limits.least.unwrap_or(least);
        self.most = limits.most.unwrap_or(most);
        self.start = limits.start.unwrap_or(if self.step < 0 { self.most } else { self.least });
    }

    /// Reads one option of `create sequence` or `alter sequence`; `false` where something else stands, and nothing where an
    /// option is not understood.
    pub(super) fn option(&mut self, cursor: &mut Cursor<'_>, limits: &mut Limits) -> Option<bool> {
        if cursor.eat("as") {
            self.ty = super::ddl::type_text(cursor.name()?.as_str());
        } else if cursor.eat("increment") {
            cursor.eat("by");
            self.step = cursor.number()?;
        } else if cursor.eat("minvalue") {
            limits.least = Some(cursor.number()?);
        } else if cursor.eat("maxvalue") {
            limits.most = Some(cursor.number()?);
        } else if cursor.eat_all(&["no", "minvalue"]) {
            limits.least = None;
        } else if cursor.eat_all(&["no", "maxvalue"]) {
            limits.most = None;
        } else if cursor.eat_all(&["no", "cycle"]) {
            self.cycles = false;
        } else if cursor.eat("cycle") {
            self.cycles = true;
        } else if cursor.eat("cache") {
            self.cache = cursor.number()?;
        } else if cursor.eat("start") {
            cursor.eat("with");
            limits.start = Some(cursor.number()?);
        } else {
            return Some(false);
        }
        Some(true)
    }

    /// The options of `create sequence`, each where it is not as usual.
    pub(super) fn options(&self) -> String {
        let mut sql = String::new();
        if self.ty != "bigint" {
            sql.push_str(&format!(" as {}", self.ty));
        }
        if self.step != 1 {
            sql.push_str(&format!(" increment by {}", self.step));
        }
        let (least, most) = usual_range(&self.ty, self.step);
        if self.least != least {
            sql.push_str(&format!(" minvalue {}", self.least));
        }
        if self.most != most {
            sql.push_str(&format!(" maxvalue {}", self.most));
        }
        let usual = if self.step < 0 { self.most } else { self.least };
        if self.start != usual {
            sql.push_str(&format!(" start with {}", self.start));
        }
        if self.cache != 1 {
            sql.push_str(&format!(" cache {}", self.cache));
        }
        if self.cycles {
            sql.push_str(" cycle");
        }
        sql
    }

    fn read(program: &Program) -> Option<Self> {
        let options = program.create.strip_prefix(&format!("create sequence {}", quote_object(&program.name)))?;
        let mut row = Self::new(program.name.clone(), "bigint".into());
        let mut limits = Limits::default();
        let mut cursor = Cursor::new(options, SYNTAX);
        while !cursor.is_at_end() {
            row.option(&mut cursor, &mut limits)?.then_some(())?;
        }
        row.limit(&limits);
        Some(row)
    }
}

/// What changes a sequence where it is, so that it keeps its count.
pub(super) fn altered(from: &Program, to: &Program) -> Option<Vec<String>> {
    let (old, new) = (SequenceRow::read(from)?, SequenceRow::read(to)?);
    let mut options = Vec::new();
    if old.ty != new.ty {
        options.push(format!("as {}", new.ty));
    }
    if old.step != new.step {
        options.push(format!("increment by {}", new.step));
    }
    // Limits of the type's own would go with it, those of the direction would not: what is meant is said.
    let (least, most) = usual_range(&new.ty, new.step);
    match new.least {
        one if one == old.least => {}
        one if one == least => options.push("no minvalue".into()),
        one => options.push(format!("minvalue {one}")),
    }
    match new.most {
        one if one == old.most => {}
        one if one == most => options.push("no maxvalue".into()),
        one => options.push(format!("maxvalue {one}")),
    }
    if old.start != new.start {
        options.push(format!("start with {}", new.start));
    }
    if old.cache != new.cache {
        options.push(format!("cache {}", new.cache));
    }
    match (old.cycles, new.cycles) {
        (true, false) => options.push("no cycle".into()),
        (false, true) => options.push("cycle".into()),
        _ => {}
    }
    let name = quote_object(&to.name);
    let ranges = ((old.least, old.most), (new.least, new.most));
    let mut statements = moved_inside(&name, ranges.0, ranges.1);
    options.extend(are_apart(ranges.0, ranges.1).then(|| "restart".to_owned()));
    statements.extend((!options.is_empty()).then(|| format!("alter sequence {name} {}", options.join(" "))));
    Some(statements)
}

/// Whether two ranges have no number in common.
pub(super) fn are_apart(old: Range, new: Range) -> bool {
    old.1 < new.0 || new.1 < old.0
}

/// What moves the count of a sequence inside its new limits where it is beyond them: the server refuses the limits
/// otherwise (PostgreSQL 17, "ALTER SEQUENCE"). A sequence that counts inside of them goes on where it was. Where the old and
/// the new limits [have nothing in common](are_apart), it has to begin again with them.
pub(super) fn moved_inside(name: &str, old: Range, new: Range) -> Vec<String> {
    let moved = |edge: i64, beyond: &str| {
        let of = literal(name);
        format!("select setval({of}, {edge}, false) from {name} where last_value {beyond} {edge}")
    };
    let reachable = |edge: i64| (old.0..=old.1).contains(&edge);
    let least = (new.0 > old.0 && reachable(new.0)).then(|| moved(new.0, "<"));
    let most = (new.1 < old.1 && reachable(new.1)).then(|| moved(new.1, ">"));
    least.into_iter().chain(most).collect()
}
