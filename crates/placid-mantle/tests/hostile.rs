//! Every command with names, keys, comments and files from somebody who means harm: nothing of it reaches a terminal raw or forges a line, nothing
//! hangs, half a gigabyte of memory is enough, and whatever cannot be used is refused with a readable message.

mod harm;

use harm::{HOSTILE, IN_TOML};
use mantle_core::visible::sign;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::fs;
use std::os::unix::fs::DirBuilderExt;
use std::path::PathBuf;
use std::process::{Command, Output, Stdio};

/// The longest message about a file that cannot be read.
const MOST: usize = 4096;

/// A person's directories, and a place for files.
struct Place {
    directory: tempfile::TempDir,
    tried: std::cell::RefCell<BTreeSet<String>>,
}

impl Place {
    fn new() -> Self {
        Self { directory: tempfile::tempdir().expect("a directory"), tried: Default::default() }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.directory.path().join(name)
    }

    fn file(&self, name: &str, text: impl AsRef<[u8]>) -> String {
        let path = self.path(name);
        fs::create_dir_all(path.parent().expect("it has one")).expect("made");
        fs::write(&path, text).expect("written");
        path.display().to_string()
    }

    /// Runs a command and checks its output.
    fn run(&self, arguments: &[&str]) -> Output {
        self.run_with(arguments, "")
    }

    /// Begins a verb.
    fn begin(&self, arguments: &[&str]) -> std::process::Child {
        self.tried.borrow_mut().insert(arguments[0].to_owned());
        Command::new("sh")
            .args([
                "-c",
                "ulimit -v 524288; exec timeout -s KILL 120 \"$@\"",
                "sh",
                env!("CARGO_BIN_EXE_placid-mantle"),
            ])
            .args(arguments)
            .current_dir(self.directory.path())
            .env("HOME", self.directory.path())
            .env_remove("SUDO_USER")
            .env("XDG_CONFIG_HOME", self.path("config"))
            .env("XDG_STATE_HOME", self.path("state"))
            .env("XDG_DATA_HOME", self.path("data"))
            .env("XDG_RUNTIME_DIR", self.path("run"))
            .env("RUST_BACKTRACE", "0")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("it starts")
    }

    fn run_with(&self, arguments: &[&str], input: &str) -> Output {
        let mut child = self.begin(arguments);
        let mut stdin = child.stdin.take().expect("its input");
        let input = input.to_owned();
        // It may end without having read all of it.
        let feeder = std::thread::spawn(move || drop(std::io::Write::write_all(&mut stdin, input.as_bytes())));
        let output = child.wait_with_output().expect("it ends");
        feeder.join().expect("fed");
        let shown: String = format!("{arguments:?}").chars().take(300).collect();
        for (where_to, bytes) in [("standard output", &output.stdout), ("standard error", &output.stderr)] {
            check(&shown, where_to, &String::from_utf8_lossy(bytes));
        }
        let said = String::from_utf8_lossy(&output.stderr);
        assert!(!said.contains("panicked"), "{shown}: {said}");
        assert!(output.status.code().is_some_and(|code| code < 100), "{shown}: {}: {said}", output.status);
        output
    }

    /// A command that cannot do what is asked says why, and briefly.
    fn refused(&self, arguments: &[&str]) -> String {
        let output = self.run(arguments);
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        let shown: String = format!("{arguments:?}").chars().take(300).collect();
        assert!(!output.status.success(), "{shown} is done");
        assert!(!said.trim().is_empty() && said.len() < MOST, "{shown}: {} bytes: {said:.400}", said.len());
        said
    }
}

/// Nothing that a terminal obeys, and no line written by somebody else.
fn check(what: &str, where_to: &str, text: &str) {
    let raw = text.chars().find(|c| *c != '\n' && sign(*c).is_some());
    assert_eq!(raw, None, "{what}: {where_to} has it raw: {text:.2000?}");
    assert!(
        !text.lines().any(|line| line.starts_with("FORGED")),
        "{what}: {where_to} has a forged line: {text:.2000?}"
    );
}

#[test]
fn no_command_prints_raw_bytes() {
    let place = Place::new();
    let scene = place.file("hostile.scene.toml", harm::scene());
    place.file("hostile.device.toml", harm::device());
    let profile = place.file("hostile.profile.toml", harm::profile());
    let sheet = place.file("hostile.sheet.toml", harm::sheet());
    let recording = place.file("hostile.hid", harm::recording());
    let odd_name = place.file(&format!("{}.profile.toml", HOSTILE.replace('/', "")), "x = \u{1b}");
    place.file("config/placid-mantle/profiles/a.profile.toml", harm::profile());
    place.file(
        "config/placid-mantle/profiles/b.profile.toml",
        format!("version = 1\nname = \"plain two\"\n{IN_TOML} = 1\n"),
    );
    place.file("config/placid-mantle/sheets/a.sheet.toml", harm::sheet());
    let slots = format!(
        "version = 1\n[[slot]]\nnumber = 1\nprofile = {IN_TOML}\nkind = {IN_TOML}\n[[slot.device]]\nname = {IN_TOML}\n"
    );
    place.file("config/placid-mantle/slots.toml", slots);
    let pack = place.path("made.pack.toml").display().to_string();

    place.run(&["demo", "--scenes"]);
    place.run(&["demo", "--headless", "--for", "2", "--scene", &scene]);
    place.run(&["demo", "--scene", &scene]);
    place.refused(&["demo", "--headless", "--for", "1", "--scene", HOSTILE]);
    place.run(&["run", "--headless"]);
    place.refused(&["record", HOSTILE, "there"]);
    place.refused(&["record", "/dev/hidraw0", HOSTILE]);
    place.refused(&["send", HOSTILE, "output", HOSTILE]);
    place.refused(&["send", "x", HOSTILE, "01"]);
    place.refused(&["get", HOSTILE, "1"]);
    place.run(&["replay", &recording, "--headless", "--for", "1"]);
    place.refused(&["replay", HOSTILE, "--headless"]);
    place.run(&["devices"]);
    place.run(&["devices", "--json"]);
    let pad = format!("version = 1\nname = {IN_TOML}\n{IN_TOML} = 1\n[[button]]\ntarget = {IN_TOML}\n");
    let pad = place.file("config/placid-mantle/pads/a.pad.toml", pad);
    place.run(&["pad", "list"]);
    place.refused(&["pad", "check", &pad]);
    place.refused(&["pad", "check", HOSTILE]);
    place.refused(&["pad", "new", "x", "--like", HOSTILE]);
    place.refused(&["pad", "new", HOSTILE]);
    place.refused(&["kind", "--slot", "1", HOSTILE]);
    place.run(&["setup"]);
    place.run(&["setup", "--helper"]);
    place.refused(&["setup", HOSTILE]);
    place.run(&["guard"]);
    place.refused(&["connect", HOSTILE]);
    place.refused(&["connect", "--for", HOSTILE]);
    place.refused(&["connect", "x", "--rename", HOSTILE, "--code", HOSTILE]);
    place.run(&["readiness"]);
    place.run(&["readiness", "--json"]);
    place.run(&["uncover", "--all"]);
    place.run(&["recipe"]);
    place.run(&["recipe", "two-halves"]);
    place.refused(&["recipe", HOSTILE]);
    place.refused(&["tour"]);
    place.refused(&["report", HOSTILE]);
    place.refused(&["report", "x", "--for", HOSTILE]);
    place.run(&["mapping"]);
    for more in [&[][..], &["--json"], &["--with-sheet", &sheet]] {
        let mut arguments = vec!["inspect", &recording];
        arguments.extend(more);
        place.run(&arguments);
    }
    place.refused(&["inspect", HOSTILE]);
    let quoted = serde_json::to_string(HOSTILE).expect("JSON");
    place.run_with(&["inspect", "--stream"], &format!("{{\"id\":{quoted},\"descriptor\":{quoted}}}\n{HOSTILE}\n"));
    for paper in ["card", "curves"] {
        for profile in [profile.as_str(), "plain", HOSTILE] {
            for on in [recording.as_str(), "quay-pad", HOSTILE] {
                place.run(&[paper, profile, "--on", on, "--into", "paper"]);
            }
        }
    }
    let papers = fs::read_dir(place.path("paper")).expect("there is paper");
    let papers: Vec<_> = papers.map(|entry| entry.expect("read").path()).collect();
    assert!(papers.iter().any(|path| path.extension().is_some_and(|end| end == "svg")));
    for path in papers.iter().filter(|path| path.extension().is_some_and(|end| end == "svg")) {
        check("paper", &path.display().to_string(), &fs::read_to_string(path).expect("text"));
    }
    profiles(&place, &profile, &odd_name);
    place.run(&["sight"]);
    place.run(&["sight", "--json"]);
    place.refused(&["sight", "--process", "4294967295"]);
    served(&place, &scene);
    place.run(&["pack", &pack, &profile, &sheet, "--about", "well"]);
    place.refused(&["pack", "two.pack.toml", &odd_name]);
    place.refused(&["unpack", HOSTILE]);
    let text = format!(
        "version = 1\nabout = \"seen\"\n[[file]]\nname = \"a.profile.toml\"\ntext = '''\n{}'''\n",
        harm::profile()
    );
    let pack = place.file("theirs.pack.toml", text);
    place.run(&["unpack", &pack]);
    place.run(&["unpack", &pack, "--into", "out"]);
    let forged = place
        .file("forged.pack.toml", format!("version = 1\nabout = {IN_TOML}\n[[file]]\nname = {IN_TOML}\ntext = ''\n"));
    place.refused(&["unpack", &forged]);

    let help = Command::new(env!("CARGO_BIN_EXE_placid-mantle")).arg("--help").output().expect("it starts");
    let help = String::from_utf8(help.stdout).expect("text");
    let verbs =
        help.lines().skip_while(|line| !line.starts_with("Commands:")).skip(1).take_while(|line| !line.is_empty());
    for verb in verbs.filter_map(|line| line.split_whitespace().next()).filter(|verb| *verb != "help") {
        assert!(place.tried.borrow().contains(verb), "nobody has tried {verb}");
    }
}

/// The commands that ask a running engine, and their output.
fn served(place: &Place, scene: &str) {
    fs::DirBuilder::new().mode(0o700).create(place.path("run")).expect("made");
    place.refused(&["status"]);
    place.refused(&["case", HOSTILE]);
    place.refused(&["strip", "--slot", "1"]);
    place.refused(&["strip", "--slot", HOSTILE]);
    place.run(&["service", "status"]);
    place.refused(&["service", HOSTILE]);
    place.refused(&["serve", "--scene", HOSTILE]);
    let mut engine = place.begin(&["serve", "--scene", scene]);
    let until = std::time::Instant::now() + std::time::Duration::from_secs(60);
    while !place.run(&["status"]).status.success() {
        assert!(std::time::Instant::now() < until, "it does not start");
    }
    place.run(&["status", "--json"]);
    cases(place);
    place.run(&["place", HOSTILE]);
    place.refused(&["place", "pad", "--slot", HOSTILE]);
    place.run(&["place", "x", "--profile", HOSTILE]);
    place.run(&["use-profile", "1", HOSTILE]);
    place.refused(&["swap", "9", "1"]);
    place.refused(&["swap", HOSTILE, "1"]);
    place.run(&["swap", "1", "2"]);
    place.run(&["nickname", "plain", HOSTILE]);
    place.run(&["nickname", HOSTILE, HOSTILE]);
    place.refused(&["lend", HOSTILE, "--slot", "9"]);
    place.run(&["lend", HOSTILE, "--slot", "2"]);
    place.run(&["find", HOSTILE]);
    place.refused(&["rumble", "--slot", "1", HOSTILE]);
    place.run(&["rumble", "--slot", "1", "40"]);
    place.refused(&["lamp", "--slot", "1", HOSTILE]);
    place.run(&["lamp", "--slot", "1", "#102030"]);
    place.refused(&["tie", HOSTILE, "--slot", "9"]);
    place.run(&["tie", HOSTILE, "--slot", "2"]);
    place.refused(&["untie", HOSTILE, "--slot", "0"]);
    place.run(&["untie", HOSTILE, "--slot", "2"]);
    place.refused(&["same-device", HOSTILE, "--slot", "9"]);
    place.run(&["same-device", HOSTILE, "--slot", "1"]);
    place.run(&["same-device", "x"]);
    place.run(&["settings"]);
    place.refused(&["settings", HOSTILE]);
    place.refused(&["settings", "slots.keep", HOSTILE]);
    place.refused(&["settings", HOSTILE, "1"]);
    place.run(&["lock"]);
    place.run(&["unlock"]);
    place.run(&["sit-down"]);
    place.refused(&["sit-down", "--by-two", HOSTILE]);
    place.run(&["pause", "1"]);
    place.run(&["resume", "1"]);
    // A rule with somebody else's note and profile, and games that are none.
    let rule = format!(
        "version = 1\n[[game]]\nprogram = \"*\"\nnote = {IN_TOML}\n[[game.slot]]\nslot = 2\nprofile = {IN_TOML}\n[[game]]\nprogram = {IN_TOML}\n"
    );
    place.file("config/placid-mantle/games.toml", rule);
    place.run(&["play", "--print"]);
    place.run(&["play", "--", "true"]);
    place.refused(&["play", "--slots", HOSTILE, "--", "true"]);
    place.run(&["play", "--profile", HOSTILE, "--", "true"]);
    place.refused(&["play", "--profile", &format!("{HOSTILE} and more"), "--", "true"]);
    place.refused(&["play", "--", HOSTILE]);
    place.refused(&["in-private", "--", HOSTILE]);
    place.file("config/placid-mantle/games.toml", format!("version = 1\n[[game]]\nprogram = 3\n{IN_TOML} = 1\n"));
    place.run(&["play", "--", "true"]);
    place.run(&["take-out", "1"]);
    place.run(&["let-go"]);
    place.run(&["resume"]);
    assert!(place.run(&["stop"]).status.success());
    drop(engine.stdin.take());
    let output = engine.wait_with_output().expect("it ends");
    assert!(output.status.success(), "{}", output.status);
    check("serve", "standard output", &String::from_utf8_lossy(&output.stdout));
    check("serve", "standard error", &String::from_utf8_lossy(&output.stderr));
}

/// A case of a table with such names, and one that somebody made up.
fn cases(place: &Place) {
    place.refused(&["case", "mine", "--device", &format!("{HOSTILE} and more")]);
    assert!(place.run(&["case", "one", "--for", "0", "--device", HOSTILE]).status.success(), "a device has this name");
    place.refused(&["case", "mine", "--for", HOSTILE]);
    let made = place.run(&["case", "mine", "--for", "0", "--serials", "--names"]);
    assert!(made.status.success(), "{}", made.status);
    let path = place.path("mine.case.toml");
    assert!(place.run(&["case", "--open", "mine.case.toml", "--headless"]).status.success());
    place.refused(&["case", "mine"]);
    place.refused(&["case", "--open", HOSTILE]);
    let mut forged: toml::Table = toml::from_str(&fs::read_to_string(path).expect("written")).expect("TOML");
    for key in ["program", "title"] {
        forged.insert(key.into(), HOSTILE.into());
    }
    for key in ["said", "left_out", "readiness", "notices"] {
        forged.insert(key.into(), vec![HOSTILE].into());
    }
    place.file("forged.case.toml", forged.to_string());
    let opened = place.run(&["case", "--open", "forged.case.toml", "--headless"]);
    assert!(opened.status.success(), "{}", opened.status);
    assert!(String::from_utf8_lossy(&opened.stdout).contains("owner: Z"), "what the owner was told is said");
    place.file("broken.case.toml", format!("version = 1\n{IN_TOML} = {IN_TOML}\n"));
    place.refused(&["case", "--open", "broken.case.toml", "--headless"]);
    place.refused(&["unpack", HOSTILE, "--take-over", "--yes"]);
}

fn profiles(place: &Place, profile: &str, odd_name: &str) {
    place.run(&["profile", "list"]);
    place.run(&["profile", "templates"]);
    place.run(&["profile", "targets"]);
    place.run(&["profile", "new", HOSTILE]);
    place.refused(&["profile", "new", "fine", "--like", HOSTILE]);
    place.run(&["profile", "import", profile]);
    place.refused(&["profile", "import", odd_name]);
    place.run(&["profile", "import", profile, "--as", "tamed"]);
    place.run(&["profile", "from-mapping", HOSTILE, "--as", HOSTILE, "--on", "quay-pad"]);
    place.run(&["profile", "export", HOSTILE, "there.toml"]);
    place.run(&["profile", "export", "tamed", HOSTILE.split('\n').next().expect("some").trim_matches('Z')]);
    place.run(&["profile", "feel", HOSTILE, "left stick", "dead zone", "more"]);
    place.refused(&["profile", "feel", "tamed", HOSTILE, "dead zone", "more"]);
    place.refused(&["profile", "feel", "tamed", "left stick", HOSTILE, "more"]);
    place.refused(&["profile", "feel", "tamed", "left stick", "dead zone", HOSTILE]);
    place.run(&["profile", "back", HOSTILE]);
    place.run(&["profile", "again", HOSTILE]);
    place.run(&["profile", "copy", HOSTILE, "copied"]);
    place.run(&["profile", "rename", "copied", HOSTILE]);
    place.run(&["profile", "compare", HOSTILE, "tamed"]);
    place.run(&["profile", "compare", "plain two", "tamed"]);
    place.run(&["profile", "delete", HOSTILE]);
    let help =
        Command::new(env!("CARGO_BIN_EXE_placid-mantle")).args(["profile", "--help"]).output().expect("it starts");
    let help = String::from_utf8(help.stdout).expect("text");
    let acts =
        help.lines().skip_while(|line| !line.starts_with("Commands:")).skip(1).take_while(|line| !line.is_empty());
    assert_eq!(acts.count(), 15, "an act of `profile` is new: try it here too");
}

/// Texts that are deep, long or many.
fn monsters() -> Vec<(&'static str, String)> {
    const MANY: usize = 120_000;
    let mut keys = String::from("version = 1\n");
    for n in 0..MANY / 4 {
        let _ = writeln!(keys, "k{n} = {n}");
    }
    vec![
        ("arrays", format!("version = {}", "[".repeat(MANY))),
        ("tables", format!("version = 1\nx = {}", "{a=".repeat(MANY))),
        ("dots", format!("a{} = 1\n", ".a".repeat(MANY))),
        ("header", format!("[a{}]\n", ".a".repeat(MANY))),
        ("list header", format!("[[a{}]]\n", ".a".repeat(MANY))),
        ("key", format!("version = 1\n{} = 1\n", "k".repeat(4 * MANY))),
        ("quoted key", format!("version = 1\n\"{}\" = 1\n", "\\n".repeat(2 * MANY))),
        (
            "value",
            format!("version = 1\nname = {:?}\nkind = {:?}\ntitle = 1\n", "v".repeat(3 * MANY), "w".repeat(MANY)),
        ),
        ("keys", keys),
        (
            "bindings",
            format!(
                "version = 1\nname = \"b\"\n{}",
                "[[binding]]\ntarget = \"nobody\"\nsource = \"button 1\"\n".repeat(MANY / 10)
            ),
        ),
        (
            "devices",
            format!(
                "version = 1\ntitle = \"many\"\n{}",
                "[[device]]\nfile = \"nobody\"\nport = \"1\"\n".repeat(MANY / 10)
            ),
        ),
        ("files", format!("version = 1\n{}", "[[file]]\nname = \"a.profile.toml\"\ntext = \"\"\n".repeat(MANY / 10))),
        ("line ends", "\n".repeat(MANY)),
        ("zeros", "\0".repeat(MANY)),
    ]
}

#[test]
fn no_file_can_overwhelm_a_command() {
    let place = Place::new();
    for (what, text) in monsters() {
        let file = |ending: &str| place.file(&format!("monster.{ending}"), &text);
        place.refused(&["demo", "--headless", "--for", "1", "--scene", &file("scene.toml")]);
        file("device.toml");
        let scene = "version = 1\ntitle = \"t\"\n[[device]]\nfile = \"monster.device.toml\"\nport = \"1\"\n";
        place.refused(&["demo", "--headless", "--for", "1", "--scene", &place.file("its.scene.toml", scene)]);
        place.refused(&["unpack", &file("pack.toml")]);
        let said = place.run(&["profile", "import", &file("profile.toml"), "--as", what]);
        assert!(said.stderr.len() < 8 * MOST, "{what}: {} bytes", said.stderr.len());
        let _ = place.run(&["inspect", &place.file("r.hid", harm::recording()), "--with-sheet", &file("sheet.toml")]);
        fs::copy(file("slots.toml"), place.path("slots")).expect("copied");
        place.file("config/placid-mantle/slots.toml", &text);
        let said = place.run(&["run", "--headless"]);
        assert!(said.stdout.len() + said.stderr.len() < 4 * MOST, "{what}");
        place.refused(&["replay", "--headless", &file("hid")]);
        place.run(&["inspect", &file("bin")]);
    }
}

#[test]
fn no_card_recording_or_request_can_overwhelm_a_command() {
    let place = Place::new();
    let nested =
        format!("<svg xmlns=\"http://www.w3.org/2000/svg\">{}{}</svg>", "<g>".repeat(100_000), "</g>".repeat(100_000));
    let attribute = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" {}/>",
        (0..50_000).fold(String::new(), |all, n| all + &format!("a{n}=\"\" "))
    );
    for card in [nested, attribute] {
        let pack = format!("version = 1\n[[file]]\nname = \"a.card.svg\"\ntext = '''{card}'''\n");
        let pack = place.file("card.pack.toml", pack);
        // A picture may be wide or flat, but not deep.
        place.run(&["unpack", &pack]);
        let card = place.file("a.card.svg", &card);
        let _ = fs::remove_file(place.path("b.pack.toml"));
        place.run(&["pack", "b.pack.toml", &card]);
    }
    for yaml in [
        format!("version: 1\ndevices: {}", "[".repeat(200_000)),
        format!("version: 1\ndevices:\n{}", (0..2_000).fold(String::new(), |all, n| all + &" ".repeat(n) + "- a:\n")),
        format!("version: 1\nndevices: 1\na: &a [x]\nb: {}\n", "*a, ".repeat(1000)),
    ] {
        place.refused(&["replay", "--headless", &place.file("deep.yml", yaml)]);
    }
    for (open, close) in [("[", "]"), ("{\"a\":", "}")] {
        let deep = format!("{{\"id\":{}1{},\"descriptor\":\"\"}}\n", open.repeat(200_000), close.repeat(200_000));
        let output = place.run_with(&["inspect", "--stream"], &deep);
        assert!(String::from_utf8_lossy(&output.stdout).contains("\"ok\":false"));
        assert!(output.stdout.len() < MOST);
    }
}
