//! `cargo xtask screenshots`: docs/screenshots/*.png, real output on the demo's data in a terminal window under Xvfb.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use crate::install::{Program, ensure, run};

const PROGRAMS: [Program; 4] = [
    Program { command: "Xvfb", package: "xvfb" },
    Program { command: "xterm", package: "xterm" },
    Program { command: "import", package: "imagemagick" },
    Program { command: "sqlite3", package: "sqlite3" },
];

/// The font's package has no command of its own.
const FONT: &str = "/usr/share/fonts/truetype/dejavu/DejaVuSansMono.ttf";

/// A display that nobody else is likely to use.
const DISPLAY: &str = ":97";

/// A picture: its name, what is done before, unseen, and the commands that are seen.
struct Scene {
    name: &'static str,
    before: &'static str,
    seen: &'static [&'static str],
}

const BACK: &str = "oak revert --to 6 --yes --quiet >/dev/null";

const SCENES: [Scene; 14] = [
    Scene {
        name: "adopt",
        before: "sqlite3 brackenfold.db 'drop table hollow_oak_journal; drop table hollow_oak_store' && rm -rf hollow-oak.toml schema migrations",
        seen: &["oak adopt --url sqlite:brackenfold.db --yes", "oak status"],
    },
    Scene {
        name: "absorb",
        before: "sqlite3 brackenfold.db 'alter table hive add column colour VARCHAR(20); alter table keeper rename column phone to telephone'",
        seen: &["oak absorb --rename keeper.phone=telephone --yes", "grep -A9 \"table keeper\" schema/hives.oak"],
    },
    Scene { name: "overview", before: BACK, seen: &["oak"] },
    Scene {
        name: "check",
        before: "sed -i 's/(apiary_id, code)/(apairy_id, code)/; s/default calm/default clam/' schema/hives.oak",
        seen: &["oak check"],
    },
    Scene {
        name: "diff",
        before: "sed -i 's/forage:  text(40), null/forage:  text(60)/; /index heavy/d; s/    moved_at:   instant, default now/    moved_at:   instant, default now\\n    retired_on: date, null/' schema/hives.oak; sed -i 's/sum(h.kg) as kg$/sum(h.kg) as kg,\\n        count(*) as harvests/' schema/honey.oak",
        seen: &["oak diff"],
    },
    Scene {
        name: "draft",
        before: "sed -i 's/forage:  text(40), null/forage:  text(40)/; s/    brood_frames:  int16.*/    weather:       text(40), null/' schema/hives.oak",
        seen: &["oak draft \"forage is required\" --fill \"apiary.forage=(county)\""],
    },
    Scene {
        name: "rename",
        before: "sed -i 's/    phone:      text(32), null/    telephone:  text(32), null/' schema/hives.oak",
        seen: &["oak draft telephones"],
    },
    Scene { name: "review", before: "true", seen: &["oak review 3"] },
    Scene {
        name: "accept",
        before: "sed -i '/brood_frames/d' schema/hives.oak; oak draft \"no brood\" >/dev/null",
        seen: &[
            "oak apply --yes",
            "oak review --accept loses-data --because \"frames are counted elsewhere\"",
            "oak apply --yes",
            "oak kept list",
        ],
    },
    Scene {
        name: "apply",
        before: "oak revert --to empty --yes --quiet --accept loses-data --because again >/dev/null",
        seen: &["oak apply --yes", "oak diff live declared"],
    },
    Scene {
        name: "status",
        before: "oak revert --yes --quiet >/dev/null; sqlite3 brackenfold.db \"alter table hive add column colour text; create view heavy_hives as select code from hive where gross_g > 40000\"",
        seen: &["oak status"],
    },
    Scene { name: "revert", before: "true", seen: &["oak revert --to 7 --yes", "oak status"] },
    Scene { name: "show", before: "true", seen: &["oak show hive --rows 4"] },
    Scene {
        name: "doctor",
        before: "printf '\\n[targets.production]\\nurl = { env = \"BRACKENFOLD_URL\" }\\n' >> hollow-oak.toml",
        seen: &["oak doctor"],
    },
];

/// Takes all pictures, or those that are named.
pub fn screenshots(wanted: &[String]) -> Result<(), String> {
    ensure(&PROGRAMS)?;
    if !Path::new(FONT).exists() {
        ensure(&[Program { command: "no-such-command-the-font-is-missing", package: "fonts-dejavu-core" }])?;
    }
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    run(Command::new(cargo).args(["build", "--quiet", "--release", "--package", "hollow-oak"]))?;
    let here = std::env::current_dir().map_err(|error| error.to_string())?;
    let folder = PathBuf::from("/tmp/oak");
    std::fs::create_dir_all(&folder).map_err(|error| error.to_string())?;
    let pictures = here.join("docs/screenshots");
    std::fs::create_dir_all(&pictures).map_err(|error| error.to_string())?;
    let mut server = Command::new("Xvfb")
        .args([DISPLAY, "-screen", "0", "1280x800x24", "-nolisten", "tcp"])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|error| format!("Xvfb: {error}"))?;
    std::thread::sleep(Duration::from_secs(1));
    let path = format!("{}:{}", here.join("target/release").display(), std::env::var("PATH").unwrap_or_default());
    let scenes = SCENES.iter().filter(|scene| wanted.is_empty() || wanted.iter().any(|name| name == scene.name));
    let result = scenes.into_iter().try_for_each(|scene| take(scene, &folder, &pictures, &path));
    end(&mut server);
    std::fs::remove_dir_all(&folder).map_err(|error| error.to_string())?;
    result
}

fn end(child: &mut Child) {
    // It may have ended by itself.
    let _ = child.kill();
    let _ = child.wait();
}

fn take(scene: &Scene, folder: &Path, pictures: &Path, path: &str) -> Result<(), String> {
    let project = folder.join(scene.name).join("brackenfold");
    let shell = |script: &str| -> Command {
        let mut command = Command::new("sh");
        command.args(["-c", script]).env("PATH", path).env("USER", "maren");
        command
    };
    run(shell(&format!(
        "mkdir -p {0} && cd {0} && oak demo --keep brackenfold >/dev/null",
        folder.join(scene.name).display()
    ))
    .current_dir(folder))?;
    run(shell(scene.before).current_dir(&project))?;
    let marker = project.join(".done");
    let lines: Vec<_> =
        scene.seen.iter().map(|line| format!("printf '\\033[2m$\\033[0m %s\\n\\n' '{line}'; {line}; echo")).collect();
    let script = format!("stty -echo; tput civis; {}; touch {}; sleep 30", lines.join("; "), marker.display());
    let mut terminal = Command::new("xterm")
        .args([
            "-display",
            DISPLAY,
            "-geometry",
            // As many rows as the screen has, with the border: what lies below it would not be seen.
            "140x40+0+0",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "11",
            "-bg",
            "#fbfaf7",
            "-fg",
            "#26241f",
        ])
        .args(["-xrm", "XTerm*color1: #b3261e", "-xrm", "XTerm*color2: #2e7d32", "-xrm", "XTerm*color6: #00687a"])
        .args(["-xrm", "XTerm*faintIsRelative: true"])
        .args(["-b", "20", "-bw", "0", "+sb", "-e", "sh", "-c", &script])
        .current_dir(&project)
        .env("PATH", path)
        .env("USER", "maren")
        .env("LC_ALL", "C.UTF-8")
        .env_remove("COLUMNS")
        .spawn()
        .map_err(|error| format!("xterm: {error}"))?;
    let began = Instant::now();
    while !marker.exists() && began.elapsed() < Duration::from_secs(20) {
        std::thread::sleep(Duration::from_millis(100));
    }
    std::thread::sleep(Duration::from_millis(700));
    let picture = pictures.join(format!("{}.png", scene.name));
    let taken =
        run(Command::new("import").args(["-display", DISPLAY, "-window", "root", "-colors", "64"]).arg(&picture));
    end(&mut terminal);
    println!("{}", picture.display());
    taken
}
