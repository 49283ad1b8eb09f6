//! `oak doctor` on databases that answer, and would not take a migration.

use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use crate::support::Project;
use crate::support::stage::Stage;
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{PrivateServer, SERVERS, shared, wanted};

const DECLARED: &str = "table keeper {\n    id: int64, identity\n    primary key (id)\n}\n";

/// What doctor says of a project whose one target has this URL.
fn doctor(url: &str) -> crate::support::Answer {
    let provider = url.split(':').next().expect("a url has a scheme");
    let project = Project::empty();
    project.write(
        "hollow-oak.toml",
        &format!(
            "[project]\nname = \"brackenfold\"\n\n[providers]\n{provider} = {{}}\n\n[targets.dev]\nurl = \"{url}\"\n"
        ),
    );
    project.declare(DECLARED);
    project.oak(&["doctor"])
}

#[test]
fn a_user_without_rights_is_told_which() {
    if wanted(Provider::Postgres) {
        let here = Stage::on(shared(Provider::Postgres), DECLARED);
        here.project.migrate("first");
        assert!(here.project.ok(&["doctor"]).starts_with("all is well"));
        here.sql("create role tobias login; create schema closed; revoke create on schema public from public");
        here.sql("create extension pg_stat_statements");
        let url = shared(Provider::Postgres).url(&here.database).replace("oak@", "tobias@");
        let answer = doctor(&url);
        assert_eq!(answer.status, 1, "{answer}");
        assert!(answer.stdout.contains("tobias may not create anything in public"), "{answer}");
        assert!(answer.stdout.contains("`grant create on schema public to tobias`"), "{answer}");
        assert!(
            answer.stdout.contains("tobias does not own") && answer.stdout.contains("hollow_oak_journal"),
            "{answer}"
        );
        assert!(!answer.stdout.contains("pg_stat"), "what an extension brought is not altered: {answer}");
        assert!(answer.stdout.contains("`grant oak to tobias`"), "{answer}");
        here.sql("grant create on schema public to tobias; grant oak to tobias");
        assert_eq!(doctor(&url).status, 0);
        here.sql("drop owned by tobias; drop role tobias");
    }
    if wanted(Provider::Mariadb) {
        let here = Stage::on(shared(Provider::Mariadb), DECLARED);
        here.project.migrate("first");
        assert!(here.project.ok(&["doctor"]).starts_with("all is well"));
        here.sql("create user tobias@localhost");
        here.sql(&format!("grant select, insert, update, delete, create on {}.* to tobias@localhost", here.database));
        let url = shared(Provider::Mariadb).url(&here.database).replace("oak@", "tobias@");
        let answer = doctor(&url);
        assert_eq!(answer.status, 1, "{answer}");
        let lacks =
            "tobias@localhost lacks drop, references, index, alter, create view, show view, create routine, trigger";
        assert!(answer.stdout.contains(lacks), "{answer}");
        here.sql(&format!("grant all on {}.* to tobias@localhost", here.database));
        assert_eq!(doctor(&url).status, 0);
        here.sql("drop user tobias@localhost");
    }
}

/// A pooler before the shared server, ended with the test.
struct Pooler {
    process: Child,
    port: u16,
    _folder: tempfile::TempDir,
}

impl Pooler {
    fn start(mode: &str) -> Self {
        let folder = tempfile::tempdir().expect("a folder can be made");
        let listener = std::net::TcpListener::bind("127.0.0.1:0").expect("a port is free");
        let port = listener.local_addr().expect("it has an address").port();
        drop(listener);
        let server = shared(Provider::Postgres);
        let configuration = format!(
            "[databases]\n* = host={} user=oak\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = {port}\nunix_socket_dir =\n\
             auth_type = any\npool_mode = {mode}\nignore_startup_parameters = extra_float_digits\n",
            server.socket().display()
        );
        let file = folder.path().join("pgbouncer.ini");
        std::fs::write(&file, configuration).expect("it can be written");
        let program = ["/usr/sbin/pgbouncer", "/usr/bin/pgbouncer"].into_iter().find(|one| Path::new(one).exists());
        let program = program.expect("pgbouncer is there: `cargo xtask test` installs it");
        let is_root = Command::new("id").arg("-u").output().is_ok_and(|output| output.stdout.starts_with(b"0\n"));
        let mut command = match is_root {
            true => {
                let open = std::os::unix::fs::PermissionsExt::from_mode(0o755);
                std::fs::set_permissions(folder.path(), open).expect("the folder is ours");
                let mut command = Command::new("setpriv");
                command.args(["--reuid=postgres", "--regid=postgres", "--clear-groups", program]);
                command
            }
            false => Command::new(program),
        };
        command.arg("-q").arg(&file).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        let process = command.spawn().expect("it can be started");
        let began = Instant::now();
        while std::net::TcpStream::connect(("127.0.0.1", port)).is_err() {
            assert!(began.elapsed() < Duration::from_secs(20), "the pooler does not answer");
            std::thread::sleep(Duration::from_millis(20));
        }
        Self { process, port, _folder: folder }
    }
}

impl Drop for Pooler {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

#[test]
fn a_transaction_pooler_is_told() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = Stage::on(shared(Provider::Postgres), DECLARED);
    here.project.migrate("first");
    for (mode, is_well) in [("transaction", false), ("session", true)] {
        let pooler = Pooler::start(mode);
        let url = format!("postgres://oak@127.0.0.1:{}/{}?sslmode=disable", pooler.port, here.database);
        let answer = doctor(&url);
        assert_eq!(answer.status == 0, is_well, "{mode}: {answer}");
        assert_eq!(answer.stdout.contains("a transaction pooler stands before the server"), !is_well, "{answer}");
    }
}

#[test]
fn databases_that_ended_runs_left_behind_are_told() {
    for provider in SERVERS {
        if !wanted(provider) {
            continue;
        }
        // One of its own: whoever looks at the shared one at that moment would be told, too.
        let server = PrivateServer::start(provider, false).unwrap_or_else(|error| panic!("{error}"));
        let here = Stage::on(&server, DECLARED);
        here.project.migrate("first");
        for name in ["oak_scratch_1_1_0", "oak_scratch_of_mine"] {
            here.sql(&format!("create database {name}"));
        }
        let answer = here.project.oak(&["doctor"]);
        assert_eq!(answer.status, 1, "{answer}");
        assert!(answer.stdout.contains("left 1 scratch database behind: oak_scratch_1_1_0\n"), "{answer}");
        assert!(answer.stdout.contains("`drop database oak_scratch_1_1_0`"), "{answer}");
        here.sql("drop database oak_scratch_1_1_0");
        assert!(here.project.ok(&["doctor"]).starts_with("all is well"));
    }
}
