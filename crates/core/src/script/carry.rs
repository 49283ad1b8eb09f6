//! What a person wrote in a script, carried over into one that was drawn up anew.

use super::read::{Script, ScriptStep, StepOrigin};
use crate::Dialect;
use crate::plan::Placement;

const HEAD: &str = "--oak step ";

/// A script drawn up anew, with what was carried over.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Carried {
    /// The text.
    pub text: String,
    /// Titles of the steps that are in it.
    pub placed: Vec<String>,
    /// Titles of edited steps that have no counterpart any more; nothing of them is in the text.
    pub lost: Vec<String>,
}

/// Puts the steps that somebody wrote or edited into a new text of the same script: an edited step in the place of the
/// generated one for the same object, an own step behind the step that it stood behind, or before the one that it stood
/// before; at the end where neither is there any more.
pub fn carry(dialect: Dialect, old: &Script, new_text: &str) -> Carried {
    let mut parts = Parts::of(new_text);
    let mut carried = Carried { text: String::new(), placed: Vec::new(), lost: Vec::new() };
    for (at, step) in old.steps.iter().enumerate().filter(|(_, step)| step.is_by_hand()) {
        if step.statements.is_empty() {
            continue;
        }
        match step.origin {
            StepOrigin::Generated { .. } => match parts.position(&step.object) {
                Some(place) => {
                    parts.blocks[place].body = with_line_end(&step.body);
                    carried.placed.push(step.title.clone());
                }
                None => carried.lost.push(step.title.clone()),
            },
            StepOrigin::Own => {
                // Steps that were carried over before count, so that several stay in their order.
                let behind = old.steps[..at].iter().rev().find_map(|other| parts.position(&key(other)));
                let before = old.steps[at + 1..].iter().find_map(|other| parts.position(&key(other)));
                let place = behind.map(|place| place + 1).or(before).unwrap_or(parts.blocks.len());
                parts.insert(dialect, place, step);
                carried.placed.push(step.title.clone());
            }
        }
    }
    carried.text = parts.text();
    carried
}

/// What a step is known by: its object; an own step by its title as well.
fn key(step: &ScriptStep) -> String {
    match step.origin {
        StepOrigin::Generated { .. } => step.object.clone(),
        StepOrigin::Own => format!("{} {}", step.object, step.title),
    }
}

fn with_line_end(body: &str) -> String {
    format!("{}\n", body.trim_end())
}

/// A script's text between its steps.
struct Parts {
    /// What stands before the first step.
    head: String,
    blocks: Vec<Block>,
}

struct Block {
    key: String,
    placement: Placement,
    /// The header, without its ordinal.
    header: String,
    body: String,
    /// What stands behind it: lines around transactions.
    tail: String,
}

impl Parts {
    fn of(text: &str) -> Self {
        let mut parts = Self { head: String::new(), blocks: Vec::new() };
        let mut in_tail = false;
        for line in text.split_inclusive('\n') {
            if let Some(rest) = line.strip_prefix(HEAD) {
                let header = rest.split_once(':').map_or("", |(_, rest)| rest).trim().to_owned();
                let fields: Vec<&str> = header.split(" | ").collect();
                let outside = fields.get(2).is_some_and(|words| *words == Placement::Outside.words());
                parts.blocks.push(Block {
                    key: fields.get(1).copied().unwrap_or_default().to_owned(),
                    placement: if outside { Placement::Outside } else { Placement::InTransaction },
                    header,
                    body: String::new(),
                    tail: String::new(),
                });
                in_tail = false;
                continue;
            }
            let Some(block) = parts.blocks.last_mut() else {
                parts.head.push_str(line);
                continue;
            };
            in_tail = in_tail || line.starts_with("--oak ");
            let place = if in_tail { &mut block.tail } else { &mut block.body };
            place.push_str(line);
        }
        if parts.blocks.is_empty() {
            // A frame with nothing in it: what comes stands inside.
            if let Some((head, tail)) = parts.head.clone().split_once("--oak end\n") {
                parts.head = head.to_owned();
                parts.blocks.push(Block {
                    key: String::new(),
                    placement: Placement::InTransaction,
                    header: String::new(),
                    body: String::new(),
                    tail: format!("--oak end\n{tail}"),
                });
            }
        }
        parts
    }

    fn position(&self, key: &str) -> Option<usize> {
        self.blocks.iter().position(|block| !block.header.is_empty() && block.key == key)
    }

    /// Puts an own step at a place, inside or outside a transaction as it was.
    fn insert(&mut self, dialect: Dialect, place: usize, step: &ScriptStep) {
        let mut block = Block {
            key: key(step),
            placement: step.placement,
            header: format!("{} | {} | {} | own", step.title, step.object, step.placement.words()),
            body: with_line_end(&step.body),
            tail: String::new(),
        };
        let frame = dialect.frame(&[]);
        let (begin, end) = (format!("--oak begin\n{}\n", frame.begin), format!("--oak end\n{}\n", frame.end));
        match place.checked_sub(1).and_then(|at| self.blocks.get_mut(at)) {
            Some(other) if other.placement == step.placement => {
                // The lines behind its neighbour stand behind it now.
                block.tail = std::mem::take(&mut other.tail);
                if other.header.is_empty() {
                    *other = block;
                    return;
                }
            }
            Some(other) if step.placement == Placement::InTransaction => {
                let rest = std::mem::take(&mut other.tail);
                other.tail = begin;
                block.tail = format!("{end}{rest}");
            }
            Some(other) => {
                let rest = std::mem::take(&mut other.tail);
                let goes_on = !rest.contains("--oak end");
                other.tail = if goes_on { end } else { rest.clone() };
                block.tail = if goes_on { format!("{begin}{rest}") } else { String::new() };
            }
            None => {
                let first_inside = self.blocks.first().is_some_and(|first| first.placement == Placement::InTransaction);
                match (first_inside, step.placement) {
                    (true, Placement::InTransaction) | (false, Placement::Outside) => {}
                    (false, Placement::InTransaction) => {
                        self.head.push_str(&begin);
                        block.tail = end;
                    }
                    (true, Placement::Outside) => {
                        if let Some((head, rest)) = self.head.clone().split_once("--oak begin") {
                            self.head = head.to_owned();
                            block.tail = format!("--oak begin{rest}");
                        }
                    }
                }
            }
        }
        self.blocks.insert(place.min(self.blocks.len()), block);
    }

    fn text(&self) -> String {
        let mut text = format!("{}\n", self.head.trim_end());
        for (at, block) in self.blocks.iter().enumerate() {
            if block.header.is_empty() {
                text.push_str(&format!("\n{}", block.tail));
                continue;
            }
            text.push_str(&format!("\n{HEAD}{}: {}\n{}\n", at + 1, block.header, block.body.trim_end()));
            if !block.tail.is_empty() {
                text.push_str(&format!("\n{}\n", block.tail.trim_end()));
            }
        }
        text
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::Flavor;
    use crate::script::step_hash;

    fn generated(number: usize, object: &str, sql: &str, placement: &str) -> String {
        format!("\n--oak step {number}: {object} | {object} | {placement} | generated {}\n{sql}\n", step_hash(sql))
    }

    fn framed(steps: &str) -> String {
        format!("-- a script\n\n--oak begin\nbegin immediate;\n{steps}\n--oak end\ncommit;\n")
    }

    #[track_caller]
    fn case(dialect: Dialect, old: &str, new: &str) -> (Carried, Vec<String>) {
        let old = Script::read(dialect, old).expect("the old script can be read");
        let carried = carry(dialect, &old, new);
        let script = Script::read(dialect, &carried.text).unwrap_or_else(|error| panic!("{error}\n{}", carried.text));
        let titles = script.steps.iter().map(|step| step.title.clone()).collect();
        (carried, titles)
    }

    #[test]
    fn own_steps_keep_their_places() {
        let step = |number, object: &str| generated(number, object, &format!("select '{object}';"), "in transaction");
        let own = |title: &str| format!("\n--oak step 9: {title} | own | in transaction | own\nselect '{title}';\n");
        let old = framed(&[own("first"), step(1, "a"), own("one"), own("two"), step(2, "b"), own("last")].concat());
        let new = framed(&[step(1, "x"), step(2, "a"), step(3, "c")].concat());
        let (carried, titles) = case(Dialect::Sqlite, &old, &new);
        assert_eq!(titles, ["x", "first", "a", "one", "two", "last", "c"]);
        assert_eq!((carried.placed.len(), carried.lost.len()), (4, 0));
        // With nothing to do by itself, the script is theirs.
        let (_, titles) = case(Dialect::Sqlite, &old, &framed(""));
        assert_eq!(titles, ["first", "one", "two", "last"]);
    }

    #[test]
    fn an_edited_step_takes_the_place_of_its_successor() {
        let edited = "\n--oak step 1: a | a | in transaction | generated 0011223344556677\nselect 'mine';\n";
        let new = framed(&generated(1, "a", "select 'theirs';", "in transaction"));
        let (carried, _) = case(Dialect::Sqlite, &framed(edited), &new);
        assert!(carried.text.contains("select 'mine';") && !carried.text.contains("theirs"), "{}", carried.text);
        let (carried, titles) =
            case(Dialect::Sqlite, &framed(edited), &framed(&generated(1, "b", "select 1;", "in transaction")));
        assert_eq!((carried.lost, titles), (vec!["a".to_owned()], vec!["b".to_owned()]));
    }

    #[test]
    fn a_transaction_of_its_own_stays_one() {
        let dialect = Dialect::Mariadb(Flavor::Mariadb);
        let step = |number, object: &str| {
            generated(number, object, &format!("create table {object} (a int);"), "outside transaction")
        };
        let own = "\n--oak begin\nstart transaction;\n\n--oak step 2: rows | own | in transaction | own\nupdate a set a = 1;\n\n--oak end\ncommit;\n";
        let (carried, titles) =
            case(dialect, &format!("{}{own}", step(1, "a")), &format!("{}{}", step(1, "a"), step(2, "b")));
        assert_eq!(titles, ["a", "rows", "b"]);
        assert_eq!(carried.text.matches("start transaction;").count(), 1, "{}", carried.text);
        let (_, titles) = case(dialect, &format!("{own}{}", step(1, "a")), &step(1, "a"));
        assert_eq!(titles, ["rows", "a"]);
    }
}
