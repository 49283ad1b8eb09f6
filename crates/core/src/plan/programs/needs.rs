//! What programs need of each other, and the order that follows.

use std::collections::{BTreeMap, BTreeSet};

use crate::physical::{Program, qualified, said_name};
use crate::schema::ProgramKind;
use crate::sql::{is_word, qualified_words, says, words};

/// Whether anything else can name it. What is said of others goes by words of ours, in which their names stand.
pub(super) fn has_name(one: &Program) -> bool {
    !matches!(
        one.word.as_deref(),
        Some(
            "comment"
                | "grant"
                | "firing"
                | "column setting"
                | "row level security"
                | "default privileges"
                | "publication"
                | "event trigger"
                | "sequence owner"
        )
    )
}

/// For each program, the numbers of those that have to be there when it is made; first those it says so of, then those its
/// SQL names.
pub(super) struct Needs {
    pub(super) stated: Vec<BTreeSet<usize>>,
    pub(super) named: Vec<BTreeSet<usize>>,
}

impl Needs {
    pub(super) fn of(programs: &[&Program]) -> Self {
        let mut labels: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        let mut by_name: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (at, one) in programs.iter().enumerate().filter(|(_, one)| has_name(one)) {
            labels.entry(one.name.to_lowercase()).or_default().push(at);
            if one.base_name() != one.name {
                labels.entry(one.base_name().to_lowercase()).or_default().push(at);
            }
            // Statements of other things name no rules and the like.
            if !matches!(one.word.as_deref(), Some("constraint" | "policy" | "rule" | "cast" | "conversion")) {
                for name in one.names() {
                    by_name.entry(said_name(&name)).or_default().push(at);
                }
            }
        }
        // Names that are not one word have to be looked for one by one.
        let odd: Vec<&String> = by_name.keys().filter(|name| !is_word(name)).collect();
        let mut needs = Self { stated: Vec::new(), named: Vec::new() };
        for (at, one) in programs.iter().enumerate() {
            let found = |name: &str| by_name.get(name).into_iter().flatten().copied();
            let labelled = |name: &String| labels.get(&name.to_lowercase()).into_iter().flatten().copied();
            let mut stated: BTreeSet<usize> = one.after.iter().flat_map(labelled).collect();
            let said = one.said_when_made().to_lowercase();
            let own = namespace_of(one);
            let spoken: BTreeSet<(Option<&str>, &str)> = qualified_words(&said).collect();
            let mut named: BTreeSet<usize> = BTreeSet::new();
            for (namespace, word) in spoken {
                let all = || found(word);
                let is_in = |at: &usize, namespace: Option<&str>| namespace_of(programs[*at]).as_deref() == namespace;
                // A namespace tells things of one name apart; without one it is that of the project, or one's own.
                if all().any(|at| is_in(&at, namespace)) {
                    let is_meant =
                        |at: &usize| is_in(at, namespace) || namespace.is_none() && is_in(at, own.as_deref());
                    named.extend(all().filter(is_meant));
                } else {
                    named.extend(all());
                }
            }
            named.extend(odd.iter().filter(|name| says(&said, name)).flat_map(|name| found(name)));
            let own_name = said_name(one.base_name());
            let is_said_once = || words(&said).filter(|word| *word == own_name).count() < 2;
            // A routine names itself, and a view of its name only where it says that once more.
            if one.kind == ProgramKind::Routine && is_said_once() {
                named.retain(|other| programs[*other].base_name() != one.base_name());
            }
            // The head of a routine names types, and calls others only in a default or to be planned with; whatever else
            // sounds like one of them is the name of a parameter.
            if one.kind == ProgramKind::Routine && !said.contains("default ") && !said.contains(" support ") {
                named.retain(|other| programs[*other].kind != ProgramKind::Routine);
            }
            // What is made names itself, and means nothing else of that name; but a routine may return a view's rows, and
            // an aggregate be made of a function of its name.
            if one.kind.is_view() || one.kind == ProgramKind::Object {
                let is_aggregate = one.word.as_deref() == Some("aggregate");
                named.retain(|other| {
                    let other = programs[*other];
                    other.base_name() != one.base_name() || (is_aggregate && other.kind == ProgramKind::Routine)
                });
            }
            // Only another trigger names one, which it fires behind.
            named.retain(|other| {
                let is_other = one.kind == ProgramKind::Trigger && programs[*other].name != one.name;
                programs[*other].kind != ProgramKind::Trigger || is_other
            });
            // An operator may say what undoes or turns it round, which then says the same of it.
            if one.word.as_deref() == Some("operator") {
                named.retain(|other| programs[*other].word != one.word);
            }
            stated.remove(&at);
            named.remove(&at);
            needs.stated.push(stated);
            needs.named.push(named);
        }
        needs
    }
}

/// The namespace of a program in small letters, where it is not the project's own.
fn namespace_of(program: &Program) -> Option<String> {
    qualified::split(program.base_name()).0.map(|namespace| qualified::plain(namespace).to_lowercase())
}

/// What others read before those; routines, views and triggers in this order where nothing else decides.
pub(super) fn read_first(mut programs: Vec<Program>) -> Vec<Program> {
    let rank = |one: &Program| match one.word.as_deref() {
        Some("namespace") => 0,
        Some("extension") => 1,
        Some("sequence" | "domain" | "type" | "collation" | "cast" | "operator" | "foreign data wrapper") => 2,
        Some("operator family" | "operator class" | "foreign server" | "text search dictionary") => 3,
        None | Some("view" | "materialized view") => 4,
        // Of all that is there by then; and the last one looks at every statement behind it.
        Some("comment" | "grant" | "firing") => 6,
        Some("default privileges" | "publication") => 7,
        Some("event trigger") => 8,
        Some(_) => 5,
    };
    programs.sort_by(|a, b| (rank(a), a.kind, &a.name).cmp(&(rank(b), b.kind, &b.name)));
    let needs = Needs::of(&programs.iter().collect::<Vec<_>>());
    let mut lacks: Vec<Lack> = std::iter::zip(&needs.stated, &needs.named)
        .map(|(stated, named)| Lack { stated: stated.len(), named: named.len() })
        .collect();
    let needed_by = |lists: &[BTreeSet<usize>]| {
        let mut needed_by: Vec<Vec<usize>> = vec![Vec::new(); lists.len()];
        for (at, list) in lists.iter().enumerate() {
            list.iter().for_each(|other| needed_by[*other].push(at));
        }
        needed_by
    };
    let (stated_by, named_by) = (needed_by(&needs.stated), needed_by(&needs.named));
    let mut waiting: BTreeSet<usize> = (0..programs.len()).collect();
    let mut free: BTreeSet<usize> = waiting.iter().copied().filter(|at| lacks[*at] == Lack::default()).collect();
    let mut ordered: Vec<usize> = Vec::with_capacity(programs.len());
    // Names that sound alike can go in a circle: the one that lacks least comes next.
    while let Some(next) = free.pop_first().or_else(|| waiting.iter().copied().min_by_key(|at| lacks[*at])) {
        waiting.remove(&next);
        ordered.push(next);
        stated_by[next].iter().for_each(|other| lacks[*other].stated -= 1);
        named_by[next].iter().for_each(|other| lacks[*other].named -= 1);
        let freed = stated_by[next].iter().chain(&named_by[next]);
        free.extend(freed.filter(|other| waiting.contains(other) && lacks[**other] == Lack::default()));
    }
    let mut programs: Vec<Option<Program>> = programs.into_iter().map(Some).collect();
    ordered.into_iter().filter_map(|at| programs[at].take()).collect()
}

/// How many programs are not there yet that one needs; what it says outright weighs more than names that sound like it.
#[derive(Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Lack {
    stated: usize,
    named: usize,
}
