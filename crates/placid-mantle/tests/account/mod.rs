//! An account of its own: what an engine, its screens and its scripts have around them.

use mantle_lab::{Tmux, wait_for};
use std::fs;
use std::os::unix::fs::DirBuilderExt;
use std::path::PathBuf;
use std::process::{Child, Command, Output, Stdio};

pub const PROGRAM: &str = env!("CARGO_BIN_EXE_placid-mantle");

/// An account of its own: a home, and a runtime directory.
pub struct Account {
    directory: tempfile::TempDir,
    pub engine: Option<Child>,
    /// The addresses of its buses; if it has none, an address at which there is nothing says so.
    pub bus: Option<String>,
}

impl Account {
    pub fn new() -> Self {
        let directory = tempfile::tempdir().expect("a directory");
        fs::DirBuilder::new().mode(0o700).create(directory.path().join("run")).expect("made");
        Self { directory, engine: None, bus: None }
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.directory.path().join(name)
    }

    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(PROGRAM);
        command.args(arguments);
        for (name, value) in self.environment() {
            command.env(name, value);
        }
        command.env_remove("NOTIFY_SOCKET").stdin(Stdio::null());
        command
    }

    pub fn environment(&self) -> Vec<(&'static str, String)> {
        let within = |name: &str| self.path(name).display().to_string();
        let bus = self.bus.clone().unwrap_or_else(|| format!("unix:path={}", within("no-bus")));
        vec![
            ("DBUS_SESSION_BUS_ADDRESS", bus.clone()),
            ("DBUS_SYSTEM_BUS_ADDRESS", bus),
            ("HOME", within("")),
            ("XDG_CONFIG_HOME", within("config")),
            ("XDG_STATE_HOME", within("state")),
            ("XDG_RUNTIME_DIR", within("run")),
            ("RUST_BACKTRACE", "0".into()),
            ("LC_ALL", "C.UTF-8".into()),
            ("NO_COLOR", String::new()),
        ]
    }

    /// Starts an engine over a scene, and waits until it can be asked.
    pub fn serve(&mut self, scene: &str) {
        let [out, errors] = ["log", "errors"].map(|name| fs::File::create(self.path(name)).expect("a log"));
        let engine = self.command(&["serve", "--scene", scene]).stdout(out).stderr(errors).spawn().expect("it starts");
        self.engine = Some(engine);
        wait_for("an engine", || self.ask(&["status"]).status.success().then_some(())).expect("it answers");
    }

    pub fn ask(&self, arguments: &[&str]) -> Output {
        self.command(arguments).output().expect("it runs")
    }

    /// The output of a command that succeeds.
    pub fn said(&self, arguments: &[&str]) -> String {
        let output = self.ask(arguments);
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        assert!(
            output.status.success(),
            "{arguments:?}: {}: {}",
            output.status,
            String::from_utf8_lossy(&output.stderr)
        );
        text
    }

    /// The output of a command that refuses, and its code.
    pub fn refused(&self, arguments: &[&str]) -> (i32, String) {
        let output = self.ask(arguments);
        (output.status.code().expect("it ended"), String::from_utf8_lossy(&output.stderr).into_owned())
    }

    pub fn status(&self) -> serde_json::Value {
        serde_json::from_str(&self.said(&["status", "--json"])).expect("JSON")
    }

    /// A screen in a terminal of its own.
    pub fn screen(&self, name: &str, size: (u16, u16)) -> Tmux {
        self.terminal(name, size, "")
    }

    pub fn terminal(&self, name: &str, size: (u16, u16), arguments: &str) -> Tmux {
        let environment = self.environment();
        let environment: Vec<(&str, &str)> = environment.iter().map(|(name, value)| (*name, value.as_str())).collect();
        // Its process can be told from others.
        let command = format!("sh -c 'echo $$ > {}; exec {PROGRAM} {arguments}'", self.path(name).display());
        Tmux::start(&format!("serving-{name}"), size, &environment, &command).expect("tmux starts")
    }

    pub fn signal(&self, screen: &str, signal: &str) {
        let pid = fs::read_to_string(self.path(screen)).expect("its process");
        assert!(Command::new("kill").args([signal, pid.trim()]).status().expect("kill runs").success());
    }
}

impl Drop for Account {
    fn drop(&mut self) {
        if let Some(mut engine) = self.engine.take() {
            let _ = engine.kill();
            let _ = engine.wait();
        }
    }
}
