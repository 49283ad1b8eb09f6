//! Lines by which a provider's own client reads another file in their place.

use super::Dialect;
use super::reading::blanked;
use crate::Span;
use crate::sql::split;

/// A line of a file that stands for another file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inclusion {
    /// The line, without its end.
    pub span: Span,
    /// The other file, as it is written.
    pub path: String,
    /// Whether the path counts from the file that says it; else it counts from where the client was started.
    pub is_beside: bool,
}

impl Dialect {
    /// The lines of a file that bring in others, in their order, where no statement is open: `\i`, `\ir` and their long
    /// forms (PostgreSQL 17, "psql", "Meta-Commands"), `source` and `\.` (MariaDB, "mariadb Command-Line Client",
    /// "Commands"), `.read` (SQLite, "Command Line Shell For SQLite", "Reading SQL from a file").
    pub fn inclusions(self, source: &str) -> Vec<Inclusion> {
        let mut found = Vec::new();
        if !source.lines().any(|line| self.inclusion(line, 0).is_some()) {
            return found;
        }
        let mut text = self.plain_sql(source);
        // A path may be half a statement, so that the next one is looked for without it.
        while let Some(next) = self.first_inclusion(&text) {
            text = self.plain_sql(&blanked(&text, &[next.span]));
            found.push(next);
        }
        found.sort_by_key(|one| one.span.start);
        found
    }

    fn first_inclusion(self, text: &str) -> Option<Inclusion> {
        split(text, self.syntax(), self.bodies()).iter().find_map(|statement| {
            let start = text[..statement.span.start].rfind('\n').map_or(0, |at| at + 1);
            let line = text[start..].lines().next()?;
            self.inclusion(line, start).filter(|one| one.span.start == statement.span.start)
        })
    }

    /// The line, which begins at that place, as one that brings in another file.
    fn inclusion(self, line: &str, start: usize) -> Option<Inclusion> {
        let indented = line.len() - line.trim_start().len();
        let line = line.trim();
        let (command, argument) = line.split_once([' ', '\t'])?;
        let is_beside = match self {
            Self::Postgres => match command {
                "\\i" | "\\include" => false,
                "\\ir" | "\\include_relative" => true,
                _ => return None,
            },
            Self::Mariadb(_) if command.eq_ignore_ascii_case("source") || command == "\\." => false,
            // The shell's commands begin at the beginning of the line.
            Self::Sqlite if command == ".read" && indented == 0 => false,
            Self::Sqlite | Self::Mariadb(_) => return None,
        };
        let argument = argument.trim();
        let path = match argument.chars().next()? {
            quote @ ('\'' | '"') => argument[1..].split(quote).next()?,
            // A variable of the client's, or another program's output.
            ':' | '|' => return None,
            _ => argument.trim_end_matches(';').trim_end(),
        };
        let span = Span::new(start + indented, start + indented + line.len());
        (!path.is_empty()).then(|| Inclusion { span, path: path.to_owned(), is_beside })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Provider;

    #[test]
    fn only_lines_of_the_clients_own_bring_in_files() {
        #[track_caller]
        fn case(provider: Provider, source: &str, expected: &[&str]) {
            let dialect = Dialect::of(provider).expect("it is one");
            let found = dialect.inclusions(source);
            let lines: Vec<_> = found.iter().map(|one| one.span.text(source)).collect();
            assert_eq!(lines, expected);
        }
        case(
            Provider::Postgres,
            "-- \\i a.sql\n\\i it's.sql\n  \\ir 'b c.sql'\nselect '\n\\i d.sql\n', $$\n\\i e.sql\n$$;\n\\i :folder/f.sql\n\
             create table hive (id int);\n\\include g.sql",
            &["\\i it's.sql", "\\ir 'b c.sql'", "\\include g.sql"],
        );
        case(Provider::Postgres, "copy hive from stdin;\n\\i a.sql\n\\.\nselect 1\n\\i b.sql\n;", &[]);
        case(
            Provider::Mariadb,
            "SOURCE a.sql;\n\\. b.sql\ncreate table hive (\nsource text);\nselect\nsource from hive;\nsource c.sql\n",
            &["SOURCE a.sql;", "\\. b.sql", "source c.sql"],
        );
        case(
            Provider::Sqlite,
            ".read it's.sql\n.mode box\n.read \"d e.sql\"\nselect '\n.read f.sql\n';\n .read g.sql\n.read h.sql",
            &[".read it's.sql", ".read \"d e.sql\""],
        );
        case(Provider::Sqlite, ".read |cat c.sql\n", &[]);
    }

    #[test]
    fn the_path_is_told_without_its_quotes() {
        let paths = |dialect: Dialect, source: &str| -> Vec<(String, bool)> {
            dialect.inclusions(source).into_iter().map(|one| (one.path, one.is_beside)).collect()
        };
        assert_eq!(
            paths(Dialect::Postgres, "\\ir 'b c.sql'\n\\i a.sql\r\n"),
            [("b c.sql".to_owned(), true), ("a.sql".to_owned(), false)]
        );
        assert_eq!(paths(Dialect::Sqlite, ".read 'b c.sql'\n"), [("b c.sql".to_owned(), false)]);
    }
}
