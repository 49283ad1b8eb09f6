//! Script text taken apart.

use super::write::step_hash;
use crate::Dialect;
use crate::plan::Placement;
use crate::span::{Lines, line_of};
use crate::sql::{self, Lexer, TokenKind};

/// A script as it stands in its file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Script {
    /// What it is written for.
    pub dialect: Dialect,
    /// What the connection is set to before the transaction.
    pub foundation: Foundation,
    /// The steps, in order.
    pub steps: Vec<ScriptStep>,
}

/// What the lines before the transaction ask for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Foundation {
    /// Foreign keys are off while the script runs, and checked before the commit.
    pub foreign_keys_off: bool,
}

/// One step of a script.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ScriptStep {
    /// What it does, in the header's words.
    pub title: String,
    /// The kind of step, and the object: `rebuild-table keeper`. See [`ScriptStep::objects`] for several in one.
    pub object: String,
    /// Whether it is part of a transaction.
    pub placement: Placement,
    /// Whose text it is.
    pub origin: StepOrigin,
    /// The text below the header.
    pub body: String,
    /// Its statements.
    pub statements: Vec<ScriptStatement>,
}

impl ScriptStep {
    /// Whether the text below the header is what was generated.
    pub fn is_as_generated(&self) -> bool {
        matches!(&self.origin, StepOrigin::Generated { hash } if *hash == step_hash(&self.body))
    }

    /// The kind of step and the object of each alteration in it: one, or several that a statement makes at once.
    pub fn objects(&self) -> impl Iterator<Item = &str> {
        let mut rest = Some(self.object.as_str());
        std::iter::from_fn(move || {
            let whole = rest?;
            // A name may have the sign in it; what follows it here begins with a kind.
            let mut signs = whole.match_indices(" + ").map(|(at, sign)| (at, at + sign.len()));
            let next = signs.find(|(_, next)| JOINED.iter().any(|kind| whole[*next..].starts_with(kind)));
            rest = next.map(|(_, next)| &whole[next..]);
            Some(next.map_or(whole, |(end, _)| &whole[..end]))
        })
    }

    /// Whether somebody wrote it or changed it.
    pub fn is_by_hand(&self) -> bool {
        !self.is_as_generated()
    }
}

/// The kinds of alterations that can be in a statement with others.
const JOINED: [&str; 3] = ["alter-column ", "add-check ", "add-foreign-key "];

/// Whose text a step is, by its header.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum StepOrigin {
    /// It was generated, with this hash.
    Generated {
        /// See [`step_hash`].
        hash: String,
    },
    /// It is somebody's own.
    Own,
}

/// One statement and its line in the file, from 1.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ScriptStatement {
    /// The SQL, without its closing semicolon.
    pub sql: String,
    /// The line it begins on.
    pub line: usize,
}

/// A fault of a script.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {kind}")]
pub struct ScriptError {
    /// What is wrong.
    pub kind: ScriptErrorKind,
    /// The line, from 1.
    pub line: usize,
}

/// The kinds of script faults.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "each variant's message says what it is")]
pub enum ScriptErrorKind {
    #[error(
        "`{0}` is not a line that oak knows; a step begins with `--oak step 1: title | own | in transaction | own`"
    )]
    UnknownMarker(String),
    #[error("a step that runs outside the transaction is not possible on SQLite")]
    Outside,
    #[error("this step says `{}`, and stands {} `--oak begin` and `--oak end`", placement.words(), match placement {
        Placement::InTransaction => "outside",
        Placement::Outside => "between",
    })]
    Misplaced { placement: Placement },
    #[error(
        "`{0}` commits on MariaDB and MySQL; end the step's header with `outside transaction | own`, and move it behind `--oak end`"
    )]
    ImplicitCommit(String),
    #[error("`{0}` would end or leave the migration's one transaction; take it out")]
    Transaction(String),
    #[error("SQL behind `--oak end` would not run; move it into a step")]
    BehindEnd,
    #[error("`{0}` does not belong before the first step")]
    BeforeBegin(String),
    #[error("a quote or comment that begins here is not closed")]
    Unclosed,
}

enum Part {
    Before,
    Begin,
    Step(ScriptStep),
    End,
}

impl Script {
    /// Reads a script. Text without any header is one step of somebody's own.
    ///
    /// # Errors
    ///
    /// The first line that cannot be read, or that could not run inside the migration's transaction.
    pub fn read(dialect: Dialect, source: &str) -> Result<Self, ScriptError> {
        let source = source.replace("\r\n", "\n");
        if let Some(open) = Lexer::new(&source, 0, dialect.syntax()).find(|token| !token.closed) {
            return Err(ScriptError { kind: ScriptErrorKind::Unclosed, line: line_of(&source, open.span.start) });
        }
        let mut script = Self { dialect, foundation: Foundation::default(), steps: Vec::new() };
        let marks = markers(&source, dialect);
        let mut inside = false;
        let lines = Lines::new(&source);
        let first = marks.first().map_or(source.len(), |mark| mark.start);
        script.section(&source, &lines, Part::Before, 0, first)?;
        for (at, mark) in marks.iter().enumerate() {
            let end = marks.get(at + 1).map_or(source.len(), |next| next.start);
            let at_mark = |kind| ScriptError { kind, line: line_of(&source, mark.start) };
            let part = mark.read(dialect).map_err(at_mark)?;
            match &part {
                Part::Begin => inside = true,
                Part::End => inside = false,
                Part::Step(ScriptStep { placement, .. }) if (*placement == Placement::InTransaction) != inside => {
                    // A script without any frame runs as if it had one.
                    if *placement == Placement::Outside || marks.iter().any(|mark| mark.text == "begin") {
                        return Err(at_mark(ScriptErrorKind::Misplaced { placement: *placement }));
                    }
                }
                Part::Before | Part::Step(_) => {}
            }
            script.section(&source, &lines, part, mark.end, end)?;
        }
        Ok(script)
    }

    fn section(
        &mut self,
        source: &str,
        lines: &Lines,
        part: Part,
        start: usize,
        end: usize,
    ) -> Result<(), ScriptError> {
        let body = &source[start..end];
        let statements: Vec<_> = sql::split(body, self.dialect.syntax(), self.dialect.bodies())
            .into_iter()
            .map(|statement| ScriptStatement {
                sql: statement.span.text(body).to_owned(),
                line: lines.line_of(start + statement.span.start),
            })
            .collect();
        match part {
            Part::Before if statements.is_empty() => {}
            Part::Before => {
                let title = "own SQL".to_owned();
                let step = ScriptStep {
                    title,
                    object: "own".into(),
                    placement: Placement::InTransaction,
                    origin: StepOrigin::Own,
                    body: String::new(),
                    statements: Vec::new(),
                };
                self.push(step, body, statements)?;
            }
            Part::Begin => self.begin(&statements)?,
            Part::Step(step) => self.push(step, body, statements)?,
            Part::End => {
                let stray = statements.iter().find(|statement| !is_frame(self.dialect, &statement.sql));
                if let Some(stray) = stray {
                    return Err(ScriptError { kind: ScriptErrorKind::BehindEnd, line: stray.line });
                }
            }
        }
        Ok(())
    }

    fn push(&mut self, step: ScriptStep, body: &str, statements: Vec<ScriptStatement>) -> Result<(), ScriptError> {
        for statement in &statements {
            let words = words(self.dialect, &statement.sql, 2);
            if self.dialect.ends_transaction(&words) {
                let kind = ScriptErrorKind::Transaction(words.join(" "));
                return Err(ScriptError { kind, line: statement.line });
            }
            if step.placement == Placement::InTransaction && self.dialect.commits_by_itself(&words) {
                let kind = ScriptErrorKind::ImplicitCommit(words.join(" "));
                return Err(ScriptError { kind, line: statement.line });
            }
        }
        self.steps.push(ScriptStep { body: body.to_owned(), statements, ..step });
        Ok(())
    }

    fn begin(&mut self, statements: &[ScriptStatement]) -> Result<(), ScriptError> {
        for statement in statements {
            if !is_frame(self.dialect, &statement.sql) {
                let kind = ScriptErrorKind::BeforeBegin(statement.sql.clone());
                return Err(ScriptError { kind, line: statement.line });
            }
            let words = words(self.dialect, &statement.sql, 4);
            if words.iter().any(|word| word == "foreign_keys")
                && words.last().is_some_and(|word| matches!(word.as_str(), "off" | "0" | "false" | "no"))
            {
                self.foundation.foreign_keys_off = true;
            }
        }
        Ok(())
    }

    /// Whether somebody's own SQL is in it.
    pub fn has_own_sql(&self) -> bool {
        self.steps.iter().any(|step| step.is_by_hand() && !step.statements.is_empty())
    }

    /// How many statements it runs.
    pub fn statement_count(&self) -> usize {
        self.steps.iter().map(|step| step.statements.len()).sum()
    }
}

/// The first words of a statement, lower case.
fn words(dialect: Dialect, sql: &str, count: usize) -> Vec<String> {
    Lexer::new(sql, 0, dialect.syntax())
        .filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Number))
        .take(count)
        .map(|token| token.span.text(sql).to_ascii_lowercase())
        .collect()
}

/// Whether a statement belongs to the frame around the steps, which the tool's own connection replaces.
fn is_frame(dialect: Dialect, sql: &str) -> bool {
    let words = words(dialect, sql, 2);
    let second = words.get(1).map_or("", String::as_str);
    match words.first().map_or("", String::as_str) {
        "begin" | "commit" => true,
        "start" => second == "transaction",
        "pragma" => matches!(second, "foreign_keys" | "foreign_key_check"),
        _ => false,
    }
}

/// A line that begins with `--oak`.
struct Marker<'a> {
    start: usize,
    end: usize,
    text: &'a str,
}

/// Marker lines; one inside a text or a block comment is none.
fn markers(source: &str, dialect: Dialect) -> Vec<Marker<'_>> {
    Lexer::new(source, 0, dialect.syntax())
        .filter(|token| token.kind == TokenKind::Comment)
        .filter_map(|token| {
            let text = token.span.text(source);
            let own_line = token.span.start == 0 || source.as_bytes()[token.span.start - 1] == b'\n';
            let text = text.strip_prefix("--oak").filter(|rest| rest.starts_with([' ', '\t']))?;
            let end = (token.span.end + 1).min(source.len());
            own_line.then_some(Marker { start: token.span.start, end, text: text.trim() })
        })
        .collect()
}

impl Marker<'_> {
    fn read(&self, dialect: Dialect) -> Result<Part, ScriptErrorKind> {
        let unknown = || ScriptErrorKind::UnknownMarker(format!("--oak {}", self.text));
        match self.text {
            "begin" => return Ok(Part::Begin),
            "end" => return Ok(Part::End),
            _ => {}
        }
        let rest = self.text.strip_prefix("step").ok_or_else(unknown)?;
        let (ordinal, rest) = rest.split_once(':').ok_or_else(unknown)?;
        if ordinal.trim().parse::<usize>().is_err() {
            return Err(unknown());
        }
        let fields: Vec<_> = rest.split('|').map(str::trim).collect();
        let [title, object, place, origin] = fields[..] else { return Err(unknown()) };
        let placement = match place {
            "in transaction" => Placement::InTransaction,
            "outside transaction" if !dialect.facts().steps_outside => return Err(ScriptErrorKind::Outside),
            "outside transaction" => Placement::Outside,
            _ => return Err(unknown()),
        };
        let origin = match origin.split_once(' ') {
            None if origin == "own" => StepOrigin::Own,
            Some(("generated", hash)) => StepOrigin::Generated { hash: hash.trim().to_owned() },
            _ => return Err(unknown()),
        };
        Ok(Part::Step(ScriptStep {
            title: title.to_owned(),
            object: object.to_owned(),
            placement,
            origin,
            body: String::new(),
            statements: Vec::new(),
        }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SCRIPT: &str = "-- a migration\n\n--oak begin\npragma foreign_keys = off;\nbegin immediate;\n\n\
        --oak step 1: add column a.b | add-column a.b | in transaction | generated HASH\nalter table a add column b;\n\n\
        --oak step 2: log it | own | in transaction | own\ncreate trigger t after insert on a begin\n  insert into log values ('--oak end');\nend;\nselect 1;\n\n\
        --oak end\npragma foreign_key_check;\ncommit;\npragma foreign_keys = on;\n";

    #[test]
    fn a_script_is_taken_apart() {
        let hash = step_hash("alter table a add column b;");
        let script = Script::read(Dialect::Sqlite, &SCRIPT.replace("HASH", &hash)).expect("the script is well-formed");
        assert!(script.foundation.foreign_keys_off);
        assert_eq!(script.steps.len(), 2);
        assert!(script.steps[0].is_as_generated());
        assert_eq!(script.steps[0].statements, [ScriptStatement { sql: "alter table a add column b".into(), line: 8 }]);
        assert!(script.steps[1].is_by_hand());
        assert_eq!(script.steps[1].statements.len(), 2);
        assert_eq!(script.steps[1].statements[1].line, 14);
        assert!(script.has_own_sql());
    }

    #[test]
    fn an_edited_step_is_told_from_a_generated_one() {
        let hash = step_hash("alter table a add column c;");
        let script = Script::read(Dialect::Sqlite, &SCRIPT.replace("HASH", &hash)).expect("the script is well-formed");
        assert!(script.steps[0].is_by_hand());
    }

    #[test]
    fn what_cannot_run_is_refused_with_its_line() {
        #[track_caller]
        fn case(source: &str, expected: &str) {
            let error = Script::read(Dialect::Sqlite, source).expect_err(source).to_string();
            assert!(error.starts_with(expected), "{source}: {error}");
        }
        case("select 1;\ncommit;", "line 2: `commit` would end");
        case(
            "--oak step 1: x | own | in transaction | own\nPRAGMA foreign_keys=off;",
            "line 2: `pragma foreign_keys` would end",
        );
        case("--oak stop", "line 1: `--oak stop` is not a line");
        case("--oak step 1: x | own | outside transaction | own\nvacuum;", "line 1: a step that runs outside");
        case("--oak end\ncommit;\nselect 1;", "line 3: SQL behind");
        case("--oak begin\nselect 1;", "line 2: `select 1` does not belong");
        case("select 1;\nselect 'a", "line 2: a quote or comment");
    }

    #[test]
    fn plain_sql_is_one_own_step() {
        let script = Script::read(Dialect::Sqlite, "update a set b = 1;\n").expect("plain SQL is a script");
        assert_eq!(script.steps.len(), 1);
        assert_eq!(script.steps[0].origin, StepOrigin::Own);
    }
}
