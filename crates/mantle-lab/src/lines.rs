//! A program, and the lines that it prints.

use crate::DEADLINE;
use std::io::{BufRead, BufReader, Write};
use std::process::{Child, ChildStdin, Command, ExitStatus, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// A running program whose lines are waited for.
#[derive(Debug)]
pub struct Lines {
    child: Child,
    stdin: Option<ChildStdin>,
    incoming: Receiver<String>,
    /// Everything that it has printed so far.
    pub said: Vec<String>,
    seen: usize,
    patience: Duration,
}

impl Lines {
    /// Starts a program; its standard error comes among its lines.
    ///
    /// # Errors
    /// When it cannot be started.
    pub fn start(command: &mut Command) -> Result<Self, String> {
        let shown = format!("{command:?}");
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().map_err(|error| format!("{shown}: {error}"))?;
        let (sender, incoming) = channel();
        let outputs: [Box<dyn std::io::Read + Send>; 2] =
            [Box::new(child.stdout.take().ok_or("no output")?), Box::new(child.stderr.take().ok_or("no output")?)];
        for output in outputs {
            let sender = sender.clone();
            std::thread::spawn(move || {
                for line in BufReader::new(output).lines().map_while(Result::ok) {
                    let _ = sender.send(line);
                }
            });
        }
        let stdin = child.stdin.take();
        Ok(Self { child, stdin, incoming, said: Vec::new(), seen: 0, patience: DEADLINE })
    }

    /// Its process.
    #[must_use]
    pub fn pid(&self) -> u32 {
        self.child.id()
    }

    /// Says a line to it.
    ///
    /// # Errors
    /// When it does not listen any more.
    pub fn say(&mut self, line: &str) -> Result<(), String> {
        let stdin = self.stdin.as_mut().ok_or("it does not listen")?;
        writeln!(stdin, "{line}").map_err(|error| error.to_string())
    }

    fn take(&mut self, patience: Duration) -> Result<(), RecvTimeoutError> {
        let line = self.incoming.recv_timeout(patience)?;
        self.said.push(line);
        Ok(())
    }

    /// The same, with all times multiplied, since what runs under another program is slow.
    #[must_use]
    pub fn slowly(mut self, times: u32) -> Self {
        self.patience = DEADLINE * times;
        self
    }

    /// Waits for the next line, after those waited for before, that is so; returns it.
    ///
    /// # Errors
    /// After the deadline, or when the program has ended; with what it said last.
    pub fn wait(&mut self, what: &str, mut so: impl FnMut(&str) -> bool) -> Result<String, String> {
        let until = Instant::now() + self.patience;
        loop {
            while self.seen < self.said.len() {
                self.seen += 1;
                if so(&self.said[self.seen - 1]) {
                    return Ok(self.said[self.seen - 1].clone());
                }
            }
            let left = until.saturating_duration_since(Instant::now());
            if let Err(why) = self.take(left) {
                let last = self.said[self.said.len().saturating_sub(25)..].join("\n    ");
                let why = if why == RecvTimeoutError::Timeout { "waited in vain" } else { "it ended while waiting" };
                return Err(format!("{why} for: {what}; it said last:\n    {last}"));
            }
        }
    }

    /// Everything that it prints from here on until it has been silent for a while.
    pub fn until_quiet(&mut self, quiet: Duration) -> Vec<String> {
        let from = self.seen;
        while self.take(quiet).is_ok() {}
        self.seen = self.said.len();
        self.said[from..].to_vec()
    }

    /// Sends it a signal.
    pub fn signal(&self, name: &str) {
        let _ = Command::new("kill").args([format!("-{name}"), self.pid().to_string()]).status();
    }

    /// Waits for its end.
    ///
    /// # Errors
    /// When it does not end before the deadline.
    pub fn end(&mut self) -> Result<ExitStatus, String> {
        let status = crate::wait_for("the end of a program", || self.child.try_wait().ok().flatten())?;
        while self.take(Duration::from_millis(200)).is_ok() {}
        Ok(status)
    }
}

impl Drop for Lines {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
