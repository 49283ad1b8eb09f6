//! Private database servers for demos and tests: started from the installed binaries, in a folder of their own, reached by
//! a unix socket only, and ended with the process that asked for them.

use std::io::Write;
use std::os::unix::fs::{PermissionsExt, chown};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use hollow_oak_core::Provider;

/// The environment variable with a folder of the servers' and their clients' programs, which come before those that the system
/// has.
pub const SERVER_PROGRAMS: &str = "OAK_SERVER_PROGRAMS";

/// How long a server may take to answer.
const PATIENCE: Duration = Duration::from_secs(60);

/// Runs the server, again when it was killed, and ends it by its process id when the pipe to it is closed, which happens
/// at the latest when the process that holds the other end is gone; then removes its folder.
const KEEPER: &str = r#"
folder=$1; signal=$2; shift 2
(
    while [ ! -e "$folder/stop" ]; do
        "$@" </dev/null >>"$folder/log" 2>&1 &
        echo $! >"$folder/server.pid"
        wait $!
        sleep 0.2
    done
) &
runner=$!
cat >/dev/null
touch "$folder/stop"
kill "-$signal" $(cat "$folder/server.pid") 2>/dev/null
wait $runner
rm -rf "$folder"
"#;

/// What a server gets beside what all have.
#[derive(Clone, Debug, Default)]
pub struct Extra {
    /// Files in its folder that only it may read: names and texts.
    pub files: Vec<(String, String)>,
    /// More arguments; `{folder}` stands for its folder.
    pub arguments: Vec<String>,
    /// The port of the loopback that it listens on, too.
    pub port: Option<u16>,
}

/// A private server.
pub struct PrivateServer {
    provider: Provider,
    folder: PathBuf,
    port: Option<u16>,
    keeper: Child,
}

impl PrivateServer {
    /// Starts a server; `durable` leaves the settings on by which it survives a crash.
    ///
    /// # Errors
    ///
    /// Where its binaries are missing or it does not start, with the remedy.
    pub fn start(provider: Provider, durable: bool) -> Result<Self, String> {
        Self::start_with(provider, durable, &Extra::default())
    }

    /// Starts a server with more than that; see [`Self::start`].
    ///
    /// # Errors
    ///
    /// As for [`Self::start`].
    pub fn start_with(provider: Provider, durable: bool, extra: &Extra) -> Result<Self, String> {
        let folder = tempfile::Builder::new()
            .prefix("oak-server-")
            .tempdir()
            .map_err(|error| format!("a folder for the server cannot be made: {error}"))?
            .keep();
        let account = Account::for_server(provider)?;
        let open = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(&folder, open).map_err(|error| error.to_string())?;
        account.own(&folder)?;
        for (name, text) in &extra.files {
            let path = folder.join(name);
            std::fs::write(&path, text).map_err(|error| error.to_string())?;
            std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o600))
                .map_err(|error| error.to_string())?;
            account.own(&path)?;
        }
        let mut arguments: Vec<String> =
            extra.arguments.iter().map(|one| one.replace("{folder}", &folder.display().to_string())).collect();
        if let Some(port) = extra.port {
            let settings = match provider {
                Provider::Postgres => {
                    vec!["-c".into(), "listen_addresses=127.0.0.1".into(), "-c".into(), format!("port={port}")]
                }
                _ => vec!["--skip-networking=0".into(), "--bind-address=127.0.0.1".into(), format!("--port={port}")],
            };
            arguments.extend(settings);
        }
        let mut server = match provider {
            Provider::Postgres => postgres_command(&folder, &account, durable, arguments)?,
            Provider::Mariadb => mariadb_command(&folder, &account, durable, arguments)?,
            Provider::Mysql => mysql_command(&folder, &account, durable, arguments)?,
            other => return Err(format!("there is no private server for {other}")),
        };
        let keeper =
            server.stdin(Stdio::piped()).spawn().map_err(|error| format!("the server cannot be started: {error}"))?;
        let mut started = Self { provider, folder, port: extra.port, keeper };
        started.wait()?;
        Ok(started)
    }

    /// The provider.
    pub fn provider(&self) -> Provider {
        self.provider
    }

    /// The folder of its socket.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Its socket, as the provider's clients want it.
    pub fn socket(&self) -> PathBuf {
        match self.provider {
            Provider::Mariadb | Provider::Mysql => self.folder.join("socket"),
            _ => self.folder.clone(),
        }
    }

    /// A target URL for one of its databases.
    pub fn url(&self, database: &str) -> String {
        format!("{}://oak@/{database}?socket={}", self.provider, self.socket().display())
    }

    /// The port that it listens on, or by which its socket is named.
    pub fn port(&self) -> u16 {
        self.port.unwrap_or(if self.provider == Provider::Postgres { 5432 } else { 3306 })
    }

    /// The provider's own client.
    pub fn client(&self) -> PathBuf {
        match self.provider {
            Provider::Postgres => client("psql"),
            Provider::Mysql => client("mysql"),
            _ => client("mariadb"),
        }
    }

    /// The provider's own program that writes a database as a script.
    pub fn dumper(&self) -> PathBuf {
        match self.provider {
            Provider::Postgres => client("pg_dump"),
            Provider::Mysql => client("mysqldump"),
            _ => client("mariadb-dump"),
        }
    }

    /// The process id of the server itself.
    pub fn process(&self) -> u32 {
        let text = std::fs::read_to_string(self.folder.join("server.pid")).unwrap_or_default();
        text.trim().parse().unwrap_or_default()
    }

    /// Kills the server as a loss of power would, and waits until it is up again.
    ///
    /// # Errors
    ///
    /// Where it does not come up again.
    pub fn crash(&mut self) -> Result<(), String> {
        let killed = self.process();
        let status = Command::new("kill").args(["-KILL", &killed.to_string()]).status();
        status.map_err(|error| format!("the server cannot be killed: {error}"))?;
        let began = Instant::now();
        while self.process() == killed {
            if began.elapsed() > PATIENCE {
                return Err("the server was not started again".into());
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        self.wait()
    }

    /// Waits until it answers, and makes sure that it is this one.
    fn wait(&mut self) -> Result<(), String> {
        let began = Instant::now();
        loop {
            let data = match self.provider {
                Provider::Postgres => self.data_by(Command::new(self.client()).args([
                    "--no-psqlrc",
                    "--tuples-only",
                    "--no-align",
                    &format!("--host={}", self.folder.display()),
                    &format!("--port={}", self.port()),
                    "--username=oak",
                    "--command=show data_directory",
                    "postgres",
                ])),
                _ => {
                    let mut client = Command::new(self.client());
                    client.args([
                        "--no-defaults",
                        &format!("--socket={}", self.socket().display()),
                        "--user=root",
                        "--skip-column-names",
                        "--execute=select @@datadir",
                    ]);
                    // Else MariaDB's from 11.4 on does without an answer rather than without encryption.
                    if self.provider == Provider::Mariadb {
                        client.arg("--skip-ssl-verify-server-cert");
                    }
                    self.data_by(&mut client)
                }
            };
            match data {
                Some(data) if data.trim().trim_end_matches('/') == self.folder.join("data").display().to_string() => {
                    return Ok(());
                }
                Some(other) => return Err(format!("another server answered, with its data in {}", other.trim())),
                None if began.elapsed() > PATIENCE => {
                    let log = std::fs::read_to_string(self.folder.join("log")).unwrap_or_default();
                    return Err(format!("the server does not answer\n{log}"));
                }
                None => std::thread::sleep(Duration::from_millis(50)),
            }
        }
    }

    fn data_by(&self, command: &mut Command) -> Option<String> {
        let output = command.stderr(Stdio::null()).output().ok()?;
        output.status.success().then(|| String::from_utf8_lossy(&output.stdout).into_owned())
    }
}

impl Drop for PrivateServer {
    fn drop(&mut self) {
        if let Some(mut pipe) = self.keeper.stdin.take() {
            // Closing it is what ends the server.
            let _ = pipe.flush();
        }
        let _ = self.keeper.wait();
    }
}

/// Whom the server runs as: servers refuse to run as the system's administrator.
struct Account(Option<(u32, u32)>);

impl Account {
    fn for_server(provider: Provider) -> Result<Self, String> {
        let number = |arguments: &[&str]| -> Option<u32> {
            let output = Command::new("id").args(arguments).stderr(Stdio::null()).output().ok()?;
            String::from_utf8_lossy(&output.stdout).trim().parse().ok()
        };
        if number(&["-u"]) != Some(0) {
            return Ok(Self(None));
        }
        let name = if provider == Provider::Postgres { "postgres" } else { "mysql" };
        let found = number(&["-u", name]).zip(number(&["-g", name]));
        match found {
            Some(found) => Ok(Self(Some(found))),
            None => Err(format!(
                "there is no user {name}; install {}'s server with the system's package manager",
                provider.title()
            )),
        }
    }

    fn own(&self, path: &Path) -> Result<(), String> {
        match self.0 {
            None => Ok(()),
            Some((user, group)) => chown(path, Some(user), Some(group)).map_err(|error| error.to_string()),
        }
    }

    /// The words before a command by which it runs as this account.
    fn words(&self) -> Vec<String> {
        match self.0 {
            None => Vec::new(),
            Some((user, group)) => {
                ["setpriv".into(), format!("--reuid={user}"), format!("--regid={group}"), "--clear-groups".into()]
                    .into()
            }
        }
    }
}

fn run(account: &Account, program: &Path, arguments: &[String], folder: &Path) -> Result<(), String> {
    let mut words = account.words();
    words.push(program.display().to_string());
    let output = Command::new(&words[0])
        .args(&words[1..])
        .args(arguments)
        .current_dir(folder)
        .output()
        .map_err(|error| format!("{} cannot be run: {error}", program.display()))?;
    if output.status.success() {
        return Ok(());
    }
    Err(format!(
        "{}: {}{}",
        program.display(),
        String::from_utf8_lossy(&output.stdout),
        String::from_utf8_lossy(&output.stderr)
    ))
}

fn keeper(account: &Account, folder: &Path, signal: &str, program: &Path, arguments: &[String]) -> Command {
    let mut command = Command::new("sh");
    command.args(["-c", KEEPER, "keeper"]).arg(folder).arg(signal).args(account.words()).arg(program).args(arguments);
    command.current_dir(folder);
    command
}

/// The folder that the environment names.
fn named() -> Option<PathBuf> {
    std::env::var_os(SERVER_PROGRAMS).map(PathBuf::from)
}

/// A client, in that folder if it is there, or else by its name alone.
fn client(name: &str) -> PathBuf {
    named().map(|folder| folder.join(name)).filter(|file| file.is_file()).unwrap_or_else(|| name.into())
}

/// A program in the first of some folders that has it.
fn find(name: &str, folders: &[PathBuf]) -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let all = named().into_iter().chain(folders.iter().cloned()).chain(std::env::split_paths(&path));
    all.map(|folder| folder.join(name)).find(|file| file.is_file())
}

fn postgres_command(folder: &Path, account: &Account, durable: bool, more: Vec<String>) -> Result<Command, String> {
    // Debian keeps the server's programs out of the path.
    let mut versions: Vec<PathBuf> = std::fs::read_dir("/usr/lib/postgresql")
        .map(|entries| entries.filter_map(|entry| Some(entry.ok()?.path().join("bin"))).collect())
        .unwrap_or_default();
    versions.sort();
    versions.reverse();
    let program = |name: &str| {
        find(name, &versions)
            .ok_or_else(|| format!("there is no {name}; install PostgreSQL's server with the system's package manager"))
    };
    let data = folder.join("data").display().to_string();
    let initialise =
        ["--pgdata", &data, "--username=oak", "--auth=trust", "--encoding=UTF8", "--no-locale", "--no-sync"];
    run(account, &program("initdb")?, &initialise.map(str::to_owned), folder)?;
    let mut arguments = vec!["-D".to_owned(), data, "-k".into(), folder.display().to_string()];
    // A migration holds a lock on all that it makes, and room for that is counted by connections, which are few here
    // (PostgreSQL 17, "Lock Management", max_locks_per_transaction).
    let mut settings = vec!["listen_addresses=", "max_connections=60", "max_locks_per_transaction=256"];
    if !durable {
        settings.extend(["fsync=off", "synchronous_commit=off", "full_page_writes=off", "shared_buffers=64MB"]);
    }
    arguments.extend(settings.into_iter().flat_map(|setting| ["-c".to_owned(), setting.to_owned()]));
    arguments.extend(more);
    Ok(keeper(account, folder, "INT", &program("postgres")?, &arguments))
}

fn mariadb_command(folder: &Path, account: &Account, durable: bool, more: Vec<String>) -> Result<Command, String> {
    let folders = [PathBuf::from("/usr/sbin"), PathBuf::from("/usr/libexec")];
    let program = |name: &str| {
        find(name, &folders)
            .ok_or_else(|| format!("there is no {name}; install MariaDB's server with the system's package manager"))
    };
    let data = format!("--datadir={}", folder.join("data").display());
    let initialise =
        ["--no-defaults", &data, &own_files(folder), "--auth-root-authentication-method=normal", "--skip-test-db"];
    run(account, &program("mariadb-install-db")?, &initialise.map(str::to_owned), folder)?;
    let mut arguments = common_arguments(folder, durable)?;
    if !durable {
        arguments.push("--innodb-flush-method=nosync".into());
    }
    arguments.extend(more);
    Ok(keeper(account, folder, "TERM", &program("mariadbd")?, &arguments))
}

/// A server that starts, be it only to make its own tables, removes what others have in a common folder.
fn own_files(folder: &Path) -> String {
    format!("--tmpdir={}", folder.display())
}

/// What the servers of MariaDB and MySQL are started with.
fn common_arguments(folder: &Path, durable: bool) -> Result<Vec<String>, String> {
    let init = folder.join("init.sql");
    std::fs::write(
        &init,
        "create user if not exists oak@localhost;\ngrant all on *.* to oak@localhost with grant option;\n",
    )
    .map_err(|error| error.to_string())?;
    let mut arguments = vec![
        "--no-defaults".to_owned(),
        format!("--datadir={}", folder.join("data").display()),
        format!("--socket={}", folder.join("socket").display()),
        format!("--pid-file={}", folder.join("pid").display()),
        own_files(folder),
        "--skip-networking".into(),
        format!("--init-file={}", init.display()),
    ];
    if !durable {
        let settings = ["--innodb-flush-log-at-trx-commit=0", "--sync-binlog=0", "--innodb-doublewrite=0"];
        arguments.extend(settings.map(str::to_owned));
    }
    Ok(arguments)
}

fn mysql_command(folder: &Path, account: &Account, durable: bool, more: Vec<String>) -> Result<Command, String> {
    let absent = || {
        format!(
            "there is no mysqld of MySQL; install its server, or name the folder of its programs in {SERVER_PROGRAMS}"
        )
    };
    let program = find("mysqld", &["/usr/sbin", "/usr/libexec"].map(PathBuf::from)).ok_or_else(absent)?;
    let version = Command::new(&program).arg("--version").output().map_err(|_| absent())?;
    // MariaDB's packages give their server this name, too.
    if String::from_utf8_lossy(&version.stdout).contains("MariaDB") {
        return Err(absent());
    }
    let mut arguments = common_arguments(folder, durable)?;
    // The last one: it takes what older versions took, a reference to what is no key.
    let settings =
        ["--mysqlx=OFF", "--secure-file-priv=", "--skip-log-bin", "--loose-restrict-fk-on-non-standard-key=OFF"];
    arguments.extend(settings.map(str::to_owned));
    arguments.extend(more);
    // It becomes that user by itself, who need not be able to get at its programs.
    arguments.extend(account.0.map(|(user, _)| format!("--user={user}")));
    let mut initialise =
        vec![arguments[0].clone(), arguments[1].clone(), own_files(folder), "--initialize-insecure".into()];
    initialise.extend(account.0.map(|(user, _)| format!("--user={user}")));
    run(&Account(None), &program, &initialise, folder)?;
    Ok(keeper(&Account(None), folder, "TERM", &program, &arguments))
}
