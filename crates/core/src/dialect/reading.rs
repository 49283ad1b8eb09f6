//! Schemas written as SQL, for one provider: what a database would hold after running them.
//!
//! Statements become the rows that the provider's catalogue would have, and those a physical schema; the path from there
//! to declarations is that of a live database. What is not understood is a mistake at its place, never passed over.

use crate::Span;
use crate::dialect::Dialect;
use crate::physical::{Introspected, qualified};
use crate::schema::ProgramKind;
use crate::sql::{Cursor, Lexer, Token, TokenKind, split, words};

/// What a text of SQL makes.
#[derive(Debug)]
pub struct SqlRead {
    /// What a database would hold.
    pub found: Introspected,
    /// Statements that say nothing of a schema, by what they do: rows, rights of the session's user.
    pub passed_over: Vec<PassedOver>,
}

/// A statement that says nothing of a schema.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PassedOver {
    /// Where it stands.
    pub span: Span,
    /// Its first words.
    pub words: String,
    /// Whether it runs a block or a routine of the same text that has statements of its own by which things are made or
    /// changed, which are not read.
    pub makes_more: bool,
}

/// A statement that is not understood.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SqlMistake {
    /// The token at which reading stopped.
    pub span: Span,
    /// What is the matter.
    pub message: String,
}

/// What became of a statement.
pub(super) enum Read {
    /// It is part of the schema now.
    Done,
    /// It says nothing of a schema, nor that anything was left out: a setting of the session.
    Nothing,
    /// It says nothing of a schema, and somebody may miss it.
    PassedOver,
    /// It runs a block that is not read.
    Unread,
}

/// What stops the reading of a statement.
pub(super) enum Stop {
    /// The token at which the cursor stands is not understood.
    Here,
    /// Something else is the matter.
    Because(String),
}

/// A reader of one dialect's statements.
pub(super) trait Statements {
    /// Takes in one statement; a stop leaves the cursor at the token that is not understood.
    fn statement(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Result<Read, Stop>;
    /// What they make together, or what is the matter.
    fn finish(self: Box<Self>) -> Result<Introspected, Missing>;
}

/// Something that a statement names and that is nowhere.
#[derive(Debug)]
pub(super) struct Missing {
    /// What is the matter.
    pub message: String,
    /// The table whose statement names it.
    pub table: String,
    /// Its name there.
    pub name: String,
}

impl Dialect {
    /// The text without what only the provider's own client or dumper understands; all places stay what they are.
    pub fn plain_sql(self, source: &str) -> String {
        match self {
            Self::Sqlite => super::sqlite::shell::plain(source),
            Self::Postgres => super::postgres::ddl::client::plain(source),
            Self::Mariadb(_) => super::mariadb::ddl::plain(source),
        }
    }

    /// Where a name stands in a text of SQL, in the first statement about a table that has it, and the last time there.
    pub fn place_in_sql(self, source: &str, table: &str, name: &str) -> Option<Span> {
        place_in(self, &self.plain_sql(source), table, name)
    }

    /// Reads the SQL of a schema without a server, as one of this version or a later one reads it; no numbers where that is
    /// not known. Nothing for a dialect whose own engine is always at hand.
    ///
    /// # Errors
    ///
    /// Every statement that is not understood.
    pub fn read_sql(self, source: &str, least: &[u32]) -> Option<Result<SqlRead, Vec<SqlMistake>>> {
        match self {
            Self::Sqlite => None,
            Self::Postgres => Some(read(self, source, Box::<super::postgres::ddl::Reader>::default())),
            Self::Mariadb(flavor) => {
                Some(read(self, source, Box::new(super::mariadb::ddl::Reader::new(flavor, least))))
            }
        }
    }
}

fn place_in(dialect: Dialect, source: &str, table: &str, name: &str) -> Option<Span> {
    let syntax = dialect.syntax();
    let statements = split(source, syntax, dialect.bodies()).into_iter().map(|one| one.span);
    let places = |span: Span, name: &str| {
        let is_it = |token: &Token| {
            let said = token.span.text(source).trim_matches(['"', '`', '[', ']']);
            matches!(token.kind, TokenKind::Word | TokenKind::Quoted) && said.eq_ignore_ascii_case(name)
        };
        Lexer::new(&source[..span.end], span.start, syntax).filter(is_it).last()
    };
    let of_table = statements.filter(|span| places(*span, table).is_some());
    of_table.filter_map(|span| places(span, name)).map(|token| token.span).next()
}

fn read(dialect: Dialect, source: &str, mut reader: Box<dyn Statements>) -> Result<SqlRead, Vec<SqlMistake>> {
    let mut source = dialect.plain_sql(source);
    if dialect == Dialect::Postgres {
        source = super::postgres::ddl::client::without_needless_quotes(source);
    }
    let source = &source;
    let mut mistakes = Vec::new();
    let mut passed_over = Vec::new();
    for statement in split(source, dialect.syntax(), dialect.bodies()) {
        let sql = statement.span.text(source);
        if is_of_own_table(sql) {
            continue;
        }
        let mut cursor = Cursor::new(sql, dialect.syntax());
        let start = statement.span.start;
        match reader.statement(&mut cursor, sql) {
            Ok(Read::Done | Read::Nothing) => {}
            Ok(read @ (Read::PassedOver | Read::Unread)) => {
                let head: Vec<&str> = sql.split_whitespace().take(3).collect();
                let makes_more = matches!(read, Read::Unread) && makes_more(sql);
                passed_over.push(PassedOver { span: statement.span, words: head.join(" "), makes_more });
            }
            Err(stop) => {
                let place = cursor.place();
                let span = Span::new(start + place.start, start + place.end);
                let message = match stop {
                    Stop::Because(message) => message,
                    Stop::Here if cursor.is_at_end() => "this statement ends too early".to_owned(),
                    Stop::Here => format!("`{}` is not understood here", cursor.peek()),
                };
                mistakes.push(SqlMistake { span, message });
            }
        }
    }
    if mistakes.is_empty() {
        match reader.finish() {
            Ok(found) => {
                let routines = found.schema.programs().filter(|one| one.kind == ProgramKind::Routine);
                let making: Vec<&str> =
                    routines.filter(|one| makes_more(&one.create)).map(|one| one.base_name()).collect();
                for one in &mut passed_over {
                    let runs = |name: &&str| words(one.span.text(source)).any(|word| word.eq_ignore_ascii_case(name));
                    one.makes_more |= making.iter().any(runs);
                }
                return Ok(SqlRead { found, passed_over });
            }
            Err(Missing { message, table, name }) => {
                let span = place_in(dialect, source, qualified::base(&table), qualified::base(&name));
                mistakes.push(SqlMistake { span: span.unwrap_or(Span::new(0, 0)), message });
            }
        }
    }
    Err(mistakes)
}

/// Whether a block or routine has statements by which things are made or changed, or runs what it puts together.
fn makes_more(sql: &str) -> bool {
    const MAKING: [&str; 6] = ["alter", "create", "drop", "execute", "prepare", "rename"];
    let mut words = words(sql);
    let runs_a_text = words.next().is_some_and(|first| first.eq_ignore_ascii_case("execute"));
    runs_a_text || words.any(|word| MAKING.iter().any(|making| word.eq_ignore_ascii_case(making)))
}

/// Whether a dump tells of the tool's own tables, which nobody declares. Their names stand early in such a statement, and
/// are reserved.
fn is_of_own_table(sql: &str) -> bool {
    let head: Vec<&str> = sql.split_whitespace().take(8).collect();
    // A text may begin so, too, and is none.
    let names_it = |word: &&str| {
        let name = word.rsplit('.').next().unwrap_or_default();
        name.trim_start_matches(['`', '"']).starts_with("hollow_oak_")
    };
    let is_others = ["view", "function", "procedure", "trigger", "event"];
    head.iter().any(names_it)
        && !head.iter().take(5).any(|word| is_others.contains(&word.to_ascii_lowercase().as_str()))
}

/// The text with some stretches blanked out, so that all places stay what they are.
pub(super) fn blanked(source: &str, stretches: &[Span]) -> String {
    let mut bytes = source.as_bytes().to_vec();
    for span in stretches {
        for byte in &mut bytes[span.start..span.end] {
            if !matches!(byte, b'\n' | b'\r') {
                *byte = b' ';
            }
        }
    }
    String::from_utf8(bytes).unwrap_or_else(|_| source.to_owned())
}

/// What stops a reading helper that answers `None`.
pub(super) trait OrStop<T> {
    /// The value, or a stop at the token where the cursor stands.
    fn here(self) -> Result<T, Stop>;
}

impl<T> OrStop<T> for Option<T> {
    fn here(self) -> Result<T, Stop> {
        self.ok_or(Stop::Here)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::{Flavor, lift};
    use crate::language::{declare, print};

    /// The declarations that SQL stands for.
    #[track_caller]
    fn declared(dialect: Dialect, sql: &str) -> String {
        let read = dialect.read_sql(sql, &[]).expect("it is a server's").expect("it is understood");
        print(&declare(&lift(dialect, &read.found).expect("it can be declared").schema))
    }

    #[test]
    fn what_a_character_set_is_sorted_by_is_a_matter_of_the_version() {
        #[track_caller]
        fn case(flavor: Flavor, least: &[u32], set: &str, expected: &str) {
            let sql = format!("create table hive (code varchar(9)) default charset = {set}");
            let read =
                Dialect::Mariadb(flavor).read_sql(&sql, least).expect("it is a server's").expect("it is understood");
            let table = read.found.schema.table("hive").expect("it is made");
            assert!(table.has_option(&format!("collate={expected}")), "{set} since {least:?}: {:?}", table.options);
        }
        case(Flavor::Mariadb, &[], "utf8mb4", "utf8mb4_general_ci");
        case(Flavor::Mariadb, &[11, 4, 9], "utf8", "utf8mb3_general_ci");
        case(Flavor::Mariadb, &[11, 5], "utf8mb4", "utf8mb4_uca1400_ai_ci");
        case(Flavor::Mariadb, &[11, 8, 2], "utf8", "utf8mb3_uca1400_ai_ci");
        case(Flavor::Mariadb, &[12], "latin1", "latin1_swedish_ci");
        case(Flavor::Mysql, &[12], "utf8mb4", "utf8mb4_0900_ai_ci");
        case(Flavor::Mysql, &[], "ucs2", "ucs2_general_ci");
    }

    #[test]
    fn what_postgres_18_adds_is_read_and_written() {
        let dumped = r#"
            CREATE TABLE public.room (
                id integer NOT NULL,
                during daterange NOT NULL,
                CONSTRAINT room_pkey PRIMARY KEY (id, during WITHOUT OVERLAPS)
            );
            CREATE TABLE public.stay (
                room integer CONSTRAINT stay_place_not_null NOT NULL,
                period daterange,
                nights integer GENERATED ALWAYS AS ((upper(period) - lower(period))),
                note text,
                CONSTRAINT noted NOT NULL note NO INHERIT,
                UNIQUE (room, period WITHOUT OVERLAPS),
                CONSTRAINT long CHECK (nights > 3) NOT ENFORCED
            );
            ALTER TABLE ONLY public.stay ADD CONSTRAINT stay_in FOREIGN KEY (room, PERIOD period)
                REFERENCES public.room(id, PERIOD during);
            ALTER TABLE public.stay ADD CONSTRAINT there NOT NULL period NOT VALID;
            ALTER TABLE public.room ADD CONSTRAINT now_there NOT NULL during NOT VALID;
            ALTER TABLE public.room VALIDATE CONSTRAINT now_there;
            CREATE TABLE public.suite (
                NOT NULL id,
                beds integer
            )
            INHERITS (public.room);
            GRANT ALL ON TABLE public.room TO reader;
        "#;
        insta::assert_snapshot!(declared(Dialect::Postgres, dumped), @r#"
        table room {
            id:      int32
            during:  native "daterange" for postgres

            primary key (id, during), option "without overlaps" for postgres
        }

        table stay {
            room:    int32
            period:  native "daterange" for postgres, null
            nights:  int32, null, generated virtual (upper(period) - lower(period))
            note:    text, null

            unique (room, period), option "without overlaps" for postgres
            foreign key stay_in (room, period) references room (id, during), option "period" for postgres
            check long (nights > 3), option "not enforced" for postgres
        }

        table suite {
            option "inherits (room)" for postgres

            id:      int32, option "inherited" for postgres
            during:  native "daterange" for postgres, option "inherited" for postgres
            beds:    int32, null
        }

        object "constraint" "noted on stay" ```
            alter table stay add constraint noted NOT NULL note NO INHERIT
        ``` drop ```
            alter table stay drop constraint noted
        ``` after stay for postgres

        grant all on room to reader for postgres

        object "constraint" "there on stay" ```
            alter table stay add constraint there NOT NULL period NOT VALID
        ``` drop ```
            alter table stay drop constraint there
        ``` after stay for postgres
        "#);
        let read = Dialect::Postgres.read_sql(dumped, &[]).expect("it is a server's").expect("it is understood");
        let empty = crate::physical::Schema::new(read.found.schema.case(), []);
        let plan = crate::plan::plan(Dialect::Postgres, &empty, &read.found.schema, &crate::plan::Choices::default());
        insta::assert_snapshot!(crate::script::write_plain(Dialect::Postgres, &plan), @r#"
        begin;
        -- create table room
        create table room (
            id integer not null,
            during daterange not null,
            constraint room_pkey primary key (id, during without overlaps)
        );
        -- create table stay
        create table stay (
            room integer not null,
            period daterange,
            nights integer generated always as (upper(period) - lower(period)) virtual,
            note text,
            constraint stay_room_period_key unique (room, period without overlaps),
            constraint stay_in foreign key (room, period period) references room (id, period during),
            constraint long check (nights > 3) not enforced
        );
        -- create table suite
        create table suite (
            beds integer
        ) inherits (room);
        -- create constraint noted on stay
        --   may refuse: fails if a row of stay does not meet it
        alter table stay add constraint noted NOT NULL note NO INHERIT;
        -- create constraint there on stay
        --   may refuse: fails if a row of stay does not meet it
        alter table stay add constraint there NOT NULL period NOT VALID;
        -- create grant reader on room
        grant all on room to reader;
        commit;
        "#);
    }

    #[test]
    fn what_the_dumper_of_postgres_writes_is_what_somebody_declared() {
        let dumped = r"
            \restrict abc
            SET client_encoding = 'UTF8';
            SELECT pg_catalog.set_config('search_path', '', false);
            CREATE TYPE public.temper AS ENUM ('calm', 'watchful');
            CREATE TABLE public.hive (
                id integer NOT NULL,
                code character varying(12) NOT NULL,
                temper public.temper DEFAULT 'calm'::public.temper NOT NULL,
                lot integer NOT NULL
            );
            ALTER TABLE public.hive OWNER TO keeper;
            ALTER TABLE public.hive ADD COLUMN owner text DEFAULT ' owner to ';
            ALTER TABLE public.hive RENAME COLUMN owner TO note;
            ALTER TABLE public.hive ALTER COLUMN lot ADD GENERATED BY DEFAULT AS IDENTITY (
                SEQUENCE NAME public.hive_lot_seq START WITH 5 INCREMENT BY 1 NO MINVALUE NO MAXVALUE CACHE 1
            );
            CREATE SEQUENCE public.hive_id_seq AS integer START WITH 1 INCREMENT BY 1 NO MINVALUE NO MAXVALUE CACHE 1;
            ALTER SEQUENCE public.hive_id_seq OWNED BY public.hive.id;
            ALTER TABLE ONLY public.hive ALTER COLUMN id SET DEFAULT nextval('public.hive_id_seq'::regclass);
            COPY public.hive (id, code) FROM stdin;
            1\tit's; not SQL
            \.
            ALTER TABLE ONLY public.hive ADD CONSTRAINT hive_pkey PRIMARY KEY (id);
            CREATE INDEX by_code ON public.hive USING btree (code DESC NULLS LAST) WHERE (lot > 0);
            COMMENT ON TABLE public.hive IS 'A box.';
        ";
        let dumped: String = dumped.lines().map(|line| format!("{}\n", line.trim_start())).collect();
        insta::assert_snapshot!(declared(Dialect::Postgres, &dumped));
    }

    #[test]
    fn what_has_no_name_gets_that_of_the_server() {
        let sql = "create table hive (
                a int primary key, b int unique, c int references hive, d text check (d <> ''), e int,
                check (a < b), unique (b, e), exclude using btree (e with =));
            create index on hive (lower(d), e);
            create unique index on hive (e);
            create unique index on hive (e);
            alter table hive add check (e > 1), add check (e > 2);";
        let read = Dialect::Postgres.read_sql(sql, &[]).expect("it is a server's").expect("it is understood");
        let table = read.found.schema.table("hive").expect("it is there");
        let mut names: Vec<&str> = table.primary_key.iter().filter_map(|key| key.name.as_deref()).collect();
        names.extend(table.uniques.iter().filter_map(|key| key.name.as_deref()));
        names.extend(table.foreign_keys.iter().filter_map(|key| key.name.as_deref()));
        names.extend(table.checks.iter().filter_map(|check| check.name.as_deref()));
        names.extend(table.indexes.iter().map(|index| index.name.as_str()));
        names.extend(read.found.schema.programs().map(|program| program.name.as_str()));
        assert_eq!(
            names,
            [
                "hive_pkey",
                "hive_b_key",
                "hive_b_e_key",
                "hive_c_fkey",
                "hive_d_check",
                "hive_check",
                "hive_e_check",
                "hive_e_check1",
                "hive_lower_e_idx",
                "hive_e_idx",
                "hive_e_idx1",
                "hive_e_excl on hive",
            ]
        );
    }

    #[test]
    fn what_the_dumper_of_mariadb_writes_is_what_somebody_declared() {
        let dumped = "
            /*!40101 SET NAMES utf8mb4 */;
            DROP TABLE IF EXISTS `hive`;
            CREATE TABLE `hive` (
              `id` bigint(20) NOT NULL AUTO_INCREMENT,
              `code` varchar(12) NOT NULL DEFAULT 'it''s',
              `apiary_id` bigint(20) DEFAULT NULL COMMENT 'where',
              `2nd` tinyint(1) NOT NULL DEFAULT 0,
              `readings` longtext CHARACTER SET utf8mb4 COLLATE utf8mb4_bin DEFAULT NULL CHECK (json_valid(`readings`)),
              `seen` datetime DEFAULT current_timestamp() ON UPDATE current_timestamp(),
              PRIMARY KEY (`id`),
              KEY `by_code` (`code`(4)),
              CONSTRAINT `hive_ibfk_1` FOREIGN KEY (`apiary_id`) REFERENCES `hive` (`id`) ON DELETE SET NULL
            ) ENGINE=InnoDB AUTO_INCREMENT=7 DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
            LOCK TABLES `hive` WRITE;
            INSERT INTO `hive` VALUES (1,'it\\'s; a',NULL,0,NULL,NULL);
            DELIMITER ;;
            /*!50003 CREATE*/ /*!50017 DEFINER=`root`@`localhost`*/ /*!50003 TRIGGER `touch` BEFORE INSERT ON `hive` FOR EACH ROW begin set new.code = 'a'; end */;;
            DELIMITER ;
        ";
        let dialect = Dialect::Mariadb(Flavor::Mariadb);
        insta::assert_snapshot!(declared(dialect, dumped));
        let read = dialect.read_sql(dumped, &[]).expect("it is a server's").expect("it is understood");
        let words: Vec<&str> = read.passed_over.iter().map(|one| one.words.as_str()).collect();
        assert_eq!(words, ["INSERT INTO `hive`"]);
    }

    #[test]
    fn what_an_extension_brings_is_found_where_it_is() {
        let sql = "create schema yard; create extension ltree with schema yard; create extension citext;
            set search_path = yard, pg_catalog;
            create extension pg_trgm;
            create table hive (id int primary key, path ltree, paths ltree[], place point, label varchar(9), name public.citext);
            create index by_path on hive using gist (path, label gist_trgm_ops);
            create index by_place on hive using spgist (place kd_point_ops);
            create index by_label on hive (label varchar_pattern_ops);";
        insta::assert_snapshot!(declared(Dialect::Postgres, sql));
    }

    #[test]
    fn what_the_first_of_the_search_path_does_not_have_is_in_public() {
        let sql = "create schema yard; create table hive (id int primary key, kg int); create table frame (id int primary key);
            set search_path = yard, public;
            create table frame (id int primary key, hive int references hive, next int references frame);
            create index by_kg on hive (kg);
            alter table hive add frame int references frame;";
        insta::assert_snapshot!(declared(Dialect::Postgres, sql));
    }

    #[test]
    fn an_argument_may_have_the_type_of_a_column() {
        let sql = "create table hive (id int primary key, name varchar(20));
            create function touch(n hive.name%TYPE, public.hive.id%type) returns int language sql as $$ select 1 $$;
            comment on function touch(varchar, int) is 'touches';";
        let read = Dialect::Postgres.read_sql(sql, &[]).expect("it is a server's").expect("it is understood");
        let drops: Vec<&str> = read.found.schema.programs().map(|program| program.drop.as_str()).collect();
        assert_eq!(drops, ["drop function touch(character varying,integer)"]);
    }

    #[test]
    fn what_runs_sql_that_is_not_read_is_told_apart() {
        let making = |dialect: Dialect, sql: &str| {
            let read = dialect.read_sql(sql, &[]).expect("it is a server's").expect("it is understood");
            read.passed_over.into_iter().filter(|one| one.makes_more).map(|one| one.words).collect::<Vec<_>>()
        };
        let sql = "create table hive (id int primary key);
            create procedure grow() begin alter table hive add kg int; end;
            create procedure count_all() begin select count(*) from hive; end;
            insert into hive values (1);
            call count_all();
            call grow();";
        assert_eq!(making(Dialect::Mariadb(Flavor::Mariadb), sql), ["call grow()"]);
        let sql = "create table hive (id int primary key);
            create function grow() returns void language plpgsql as $$ begin execute 'alter table hive add kg int'; end $$;
            create function all_of() returns bigint language sql as $$ select count(*) from hive $$;
            select all_of();
            select public.grow();
            do $$ begin for i in 1..3 loop execute 'create table hive_' || i || ' (a int)'; end loop; end $$;
            do $$ begin if exists (select 1 from hive) then raise notice 'rows'; end if; end $$;";
        assert_eq!(making(Dialect::Postgres, sql), ["select public.grow()", "do $$ begin"]);
    }

    #[test]
    fn what_changes_later_is_followed() {
        let sql = "create table hive (id int primary key, old text, gone int unique, kg int);
            create index by_old on hive (old);
            alter table hive rename column old to code;
            alter table hive drop column gone, alter column kg type bigint using kg::bigint, alter kg set not null;
            alter table hive rename to box;
            alter index by_old rename to by_code;
            create view heavy as select 1;
            drop view if exists heavy, missing;
            create table loose (a int);
            drop table loose;";
        insta::assert_snapshot!(declared(Dialect::Postgres, sql));
        let sql = "create table hive (id int primary key, old varchar(9), gone int unique, kg int, key (old));
            alter table hive change old code varchar(20) not null after id, drop column gone, modify kg bigint not null;
            alter table hive rename index old to by_code, rename to box;
            alter table box add column seen date first, add unique key (seen), drop primary key, add primary key (kg);";
        insta::assert_snapshot!(declared(Dialect::Mariadb(Flavor::Mariadb), sql));
    }

    #[test]
    fn a_statement_that_is_not_understood_stops_at_its_token() {
        #[track_caller]
        fn case(dialect: Dialect, sql: &str, token: &str) {
            let mistakes = dialect.read_sql(sql, &[]).expect("it is a server's").expect_err("it is not understood");
            assert_eq!(mistakes[0].span.text(sql), token, "{mistakes:?}");
        }
        case(Dialect::Postgres, "create table a (b int wobbly)", "wobbly");
        case(Dialect::Postgres, "create table a (b int, unique (c))", ")");
        case(Dialect::Postgres, "create index i on a (b)", "a");
        case(Dialect::Postgres, "create table a (b int); create table a (c int)", "(");
        case(Dialect::Mariadb(Flavor::Mariadb), "create table a (b int) ;\n alter table a frobnicate", "frobnicate");
        case(Dialect::Mariadb(Flavor::Mariadb), "create table a (b int not wobbly)", "not");
    }
}
