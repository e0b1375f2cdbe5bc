//! A terminal with somebody at it: keys in, the screen's text out.

use std::process::Command;

/// A tmux server of its own, ended when this is dropped.
#[derive(Debug)]
pub struct Tmux {
    socket: String,
}

impl Tmux {
    /// Starts a command in a terminal of this size. The terminal outlives the command, so that its end can be seen.
    ///
    /// # Errors
    /// When tmux is not there.
    pub fn start(name: &str, size: (u16, u16), environment: &[(&str, &str)], command: &str) -> Result<Self, String> {
        let socket = format!("mantle-{name}-{}", std::process::id());
        let tmux = Self { socket };
        let (width, height) = (size.0.to_string(), size.1.to_string());
        let mut start = tmux.command();
        start.args(["-f", "/dev/null", "new-session", "-d", "-s", "t", "-x", &width, "-y", &height]);
        for (key, value) in environment {
            start.args(["-e", &format!("{key}={value}")]);
        }
        start.arg(format!("{command}; echo \"[ended $?]\"; exec sleep 600"));
        let done = start.output().map_err(|error| format!("tmux: {error}"))?;
        if done.status.success() { Ok(tmux) } else { Err(String::from_utf8_lossy(&done.stderr).into_owned()) }
    }

    /// As [`Tmux::start`], with somebody who looks at it: a terminal is attached, and programs are told when it has the
    /// keyboard and when another window has it.
    ///
    /// # Errors
    /// When tmux is not there.
    pub fn attended(
        name: &str,
        size: (u16, u16),
        environment: &[(&str, &str)],
        command: &str,
    ) -> Result<(Self, Self), String> {
        let tmux = Self::start(name, size, environment, command)?;
        tmux.run(&["set-option", "-g", "focus-events", "on"])?;
        tmux.run(&["set-option", "-g", "status", "off"])?;
        tmux.run(&["new-window", "-d", "-t", "t:", "sleep 600"])?;
        let attach = format!("env -u TMUX tmux -L {} attach-session -t t", tmux.socket);
        let seat = Self::start(&format!("{name}-seat"), size, environment, &attach)?;
        let there = || (tmux.ask("#{session_attached}") == "1").then_some(());
        crate::wait_for("somebody at the terminal", there)?;
        Ok((tmux, seat))
    }

    /// Another window gets the keyboard, or the first one has it back.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub fn look_away(&self, away: bool) -> Result<(), String> {
        let (first, other) = ("t:{start}", "t:{end}");
        self.run(&["select-window", "-t", if away { other } else { first }])
    }

    fn run(&self, arguments: &[&str]) -> Result<(), String> {
        let done = self.command().args(arguments).output().map_err(|error| error.to_string())?;
        if done.status.success() { Ok(()) } else { Err(String::from_utf8_lossy(&done.stderr).into_owned()) }
    }

    fn command(&self) -> Command {
        let mut command = Command::new("tmux");
        command.args(["-L", &self.socket]);
        command
    }

    /// Presses keys, by tmux's names.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub fn keys(&self, keys: &[&str]) -> Result<(), String> {
        let done = self
            .command()
            .args(["send-keys", "-t", "t:{start}"])
            .args(keys)
            .status()
            .map_err(|error| error.to_string())?;
        if done.success() { Ok(()) } else { Err("the terminal is gone".into()) }
    }

    /// Changes the size of the terminal.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub fn resize(&self, size: (u16, u16)) -> Result<(), String> {
        let (width, height) = (size.0.to_string(), size.1.to_string());
        let done = self.command().args(["resize-window", "-t", "t", "-x", &width, "-y", &height]).status();
        done.map(|_| ()).map_err(|error| error.to_string())
    }

    /// What is on the screen.
    #[must_use]
    pub fn screen(&self) -> String {
        let done = self.command().args(["capture-pane", "-p", "-t", "t:{start}"]).output();
        done.map(|done| String::from_utf8_lossy(&done.stdout).into_owned()).unwrap_or_default()
    }

    /// A variable of the terminal, by tmux's format language, for example `#{cursor_flag}`.
    #[must_use]
    pub fn ask(&self, format: &str) -> String {
        let done = self.command().args(["display-message", "-p", "-t", "t", format]).output();
        done.map(|done| String::from_utf8_lossy(&done.stdout).trim().to_owned()).unwrap_or_default()
    }

    /// Waits until the screen is so; returns it.
    ///
    /// # Errors
    /// After the deadline, with the screen as it is then.
    pub fn wait(&self, what: &str, so: impl Fn(&str) -> bool) -> Result<String, String> {
        let look = || Some(self.screen()).filter(|screen| so(screen));
        crate::wait_for(what, look).map_err(|why| format!("{why}; the screen:\n{}", self.screen()))
    }
}

impl Drop for Tmux {
    fn drop(&mut self) {
        let _ = self.command().arg("kill-server").output();
    }
}
