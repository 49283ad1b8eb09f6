//! Encrypted connections over the network, with passwords: whom they trust, and what is said where they are refused.

use std::net::TcpListener;

use crate::support::{Answer, Project};
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{Connects, Extra, PrivateServer, SERVERS, wanted};
use hollow_oak_testkit::store::Store;
use rcgen::{BasicConstraints, CertificateParams, CertifiedIssuer, IsCa, KeyPair};

/// An authority, and the certificate and key of a server at `localhost`.
struct Trust {
    authority: String,
    certificate: String,
    key: String,
}

fn trust() -> Trust {
    let mut parameters = CertificateParams::new(Vec::new()).expect("no names are good names");
    parameters.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
    let own = KeyPair::generate().expect("a key can be made");
    let authority = CertifiedIssuer::self_signed(parameters, own).expect("an authority can be made");
    let key = KeyPair::generate().expect("a key can be made");
    let parameters = CertificateParams::new(vec!["localhost".to_owned()]).expect("the name is good");
    let certificate = parameters.signed_by(&key, &authority).expect("a certificate can be made");
    Trust { authority: authority.pem(), certificate: certificate.pem(), key: key.serialize_pem() }
}

/// A server on a port of the loopback that takes nobody without a password.
struct Guarded {
    server: PrivateServer,
    port: u16,
    project: Project,
}

impl Guarded {
    /// Whether it encrypts, and then takes nobody who does not.
    fn start(provider: Provider, trust: Option<&Trust>) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port is free");
        let port = listener.local_addr().expect("it has an address").port();
        drop(listener);
        let mut extra = Extra::default();
        if let Some(trust) = trust {
            extra.files.push(("cert.pem".into(), trust.certificate.clone()));
            extra.files.push(("key.pem".into(), trust.key.clone()));
        }
        let arguments: Vec<String> = match provider {
            Provider::Postgres => {
                let kind = if trust.is_some() { "hostssl" } else { "host" };
                let rules = format!("local all all trust\n{kind} all all 127.0.0.1/32 scram-sha-256\n");
                extra.files.push(("hba.conf".into(), rules));
                let mut settings = vec!["hba_file={folder}/hba.conf".to_owned()];
                if trust.is_some() {
                    settings.extend(
                        ["ssl=on", "ssl_cert_file={folder}/cert.pem", "ssl_key_file={folder}/key.pem"]
                            .map(str::to_owned),
                    );
                }
                settings.into_iter().flat_map(|setting| ["-c".to_owned(), setting]).collect()
            }
            _ => match trust {
                Some(_) => {
                    ["--ssl-cert={folder}/cert.pem", "--ssl-key={folder}/key.pem", "--require-secure-transport=on"]
                        .map(str::to_owned)
                        .into()
                }
                // MySQL 9.7 has no option for it but to speak no version.
                None if provider == Provider::Mysql => vec!["--tls-version=".into()],
                None => vec!["--skip-ssl".into()],
            },
        };
        extra.arguments = arguments;
        extra.port = Some(port);
        let server = PrivateServer::start_with(provider, false, &extra).unwrap_or_else(|error| panic!("{error}"));
        let here = Self { server, port, project: Project::empty() };
        match provider {
            Provider::Postgres => here.make_postgres_user(),
            _ => {
                let mut store = here.server.mariadb(None).expect("the server answers");
                for sql in [
                    "create database brackenfold",
                    "create user maren@'%' identified by 'forage+1'",
                    "grant all on *.* to maren@'%'",
                ] {
                    Store::execute(&mut store, sql).expect(sql);
                }
            }
        }
        here
    }

    fn make_postgres_user(&self) {
        let mut store = self.server.postgres("postgres").expect("the server answers");
        for sql in ["create role maren superuser login password 'forage+1'", "create database brackenfold"] {
            Store::execute(&mut store, sql).expect(sql);
        }
    }

    /// Asks for what is there, by a URL with these parts.
    fn show(&self, host: &str, password: &str, parameters: &str) -> Answer {
        let provider = self.server.provider();
        let port = self.port;
        let url = format!("{provider}://maren:{password}@{host}:{port}/brackenfold{parameters}");
        self.project.oak(&["show", "--url", &url])
    }

    #[track_caller]
    fn is_let_in(&self, host: &str, parameters: &str) {
        let answer = self.show(host, "forage%2B1", parameters);
        assert!(answer.status == 0 && answer.stderr.is_empty(), "{host} {parameters}: {answer}");
    }

    #[track_caller]
    fn is_refused(&self, host: &str, password: &str, parameters: &str, words: &[&str]) {
        let answer = self.show(host, password, parameters);
        assert_eq!(answer.status, 1, "{host} {parameters}: {answer}");
        for word in words {
            assert!(answer.stderr.contains(word), "`{word}` is not in\n{answer}");
        }
        assert!(answer.stderr.contains(" help: "), "{answer}");
        assert!(!answer.to_string().contains("forage"), "{answer}");
    }
}

#[test]
fn encrypted_connections_are_checked_as_the_url_says() {
    for provider in SERVERS {
        if !wanted(provider) {
            continue;
        }
        let (ours, others) = (trust(), trust());
        let here = Guarded::start(provider, Some(&ours));
        here.project.write("ours.pem", &ours.authority);
        here.project.write("others.pem", &others.authority);
        here.project.write("nothing.pem", "nothing of the kind\n");
        here.is_let_in("localhost", "");
        here.is_let_in("localhost", "?sslmode=prefer");
        here.is_let_in("127.0.0.1", "?sslmode=require");
        here.is_let_in("localhost", "?sslmode=verify-full&sslrootcert=ours.pem");
        // By a name that the certificate does not have.
        here.is_refused("127.0.0.1", "forage%2B1", "?sslmode=verify-full&sslrootcert=ours.pem", &["certificate"]);
        here.is_refused("localhost", "forage%2B1", "?sslmode=verify-full&sslrootcert=others.pem", &["certificate"]);
        here.is_refused("localhost", "forage%2B1", "?sslmode=verify-full", &["certificate"]);
        here.is_refused("localhost", "forage%2B1", "?sslmode=verify-full&sslrootcert=nothing.pem", &["nothing.pem"]);
        here.is_refused("localhost", "forage%2B1", "?sslmode=verify-full&sslrootcert=nowhere.pem", &["nowhere.pem"]);
        here.is_refused("localhost", "forage%2B1", "?sslmode=disable", &["localhost"]);
        here.is_refused("localhost", "forage-wrong", "?sslmode=require", &["maren"]);
        here.is_refused("localhost", "", "?sslmode=require", &["maren"]);
    }
}

#[test]
fn a_server_that_does_not_encrypt_is_told() {
    for provider in SERVERS {
        if !wanted(provider) {
            continue;
        }
        let here = Guarded::start(provider, None);
        here.is_let_in("localhost", "");
        here.is_let_in("127.0.0.1", "?sslmode=disable");
        here.is_refused("localhost", "forage%2B1", "?sslmode=require", &["does not encrypt"]);
        here.is_refused("localhost", "forage%2B1", "?sslmode=verify-full", &["does not encrypt"]);
    }
}

#[test]
fn a_user_of_mariadb_logs_in_by_a_key_made_of_the_password() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let server = PrivateServer::start(Provider::Mariadb, false).unwrap_or_else(|error| panic!("{error}"));
    let mut connection = server.mariadb(None).expect("the server answers");
    let statements = [
        "install soname 'auth_ed25519'",
        "create user beda@localhost identified via ed25519 using password('forage')",
        "grant all on *.* to beda@localhost",
    ];
    for sql in statements {
        connection.execute(sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
    }
    let project = Project::empty();
    let show = |user: &str| project.oak(&["show", "--url", &server.url("mysql").replace("oak@", user)]);
    let let_in = show("beda:forage@");
    assert!(let_in.status == 0 && let_in.stderr.is_empty(), "{let_in}");
    let refused = show("beda:clover@");
    assert!(refused.status == 1 && refused.stderr.contains("does not let beda in"), "{refused}");
}
