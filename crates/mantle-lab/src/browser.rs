//! A browser without a window, and what a page in it sees of the pads.

use crate::{DEADLINE, Lines};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::Command;
use std::sync::{Arc, Condvar, Mutex};
use std::time::{Duration, Instant};

/// The browser used: Debian's build without a window.
pub const PROGRAM: &str = "/usr/lib/chromium/chromium-headless-shell";

/// The page: it reports in lines which pads come and go, and what they show.
const PAGE: &str = r#"<!doctype html><title>pads</title><script>
const say = text => fetch("/said", { method: "POST", body: text });
addEventListener("gamepadconnected", e => say(`connected ${e.gamepad.index} ${e.gamepad.mapping} ${e.gamepad.axes.length} ${e.gamepad.buttons.length} ${e.gamepad.id}`));
addEventListener("gamepaddisconnected", e => say(`disconnected ${e.gamepad.index}`));
let last = "";
setInterval(() => {
  const all = [...navigator.getGamepads()].filter(pad => pad);
  const text = "state" + all.map(pad => ` ${pad.index}:${pad.buttons.map(button => button.value.toFixed(2)).join(",")}:${pad.axes.map(axis => axis.toFixed(2)).join(",")}`).join("");
  if (text !== last) { last = text; say(text); }
}, 20);
(async () => { for (;;) { try {
  const wanted = await (await fetch("/wanted")).text();
  if (wanted === "") continue;
  const pad = navigator.getGamepads()[+wanted];
  const effect = { duration: 300, strongMagnitude: 1, weakMagnitude: 0.5 };
  say(`rumble ${wanted} ${await pad.vibrationActuator.playEffect("dual-rumble", effect)}`);
} catch (why) { say(`failed ${why}`); } } })();
say("loaded");
</script>"#;

/// What a page sees of one pad.
#[derive(Clone, PartialEq, Debug)]
pub struct SeenPad {
    /// Its number in the page.
    pub index: usize,
    /// How far each button is down.
    pub buttons: Vec<f32>,
    /// Where each axis is.
    pub axes: Vec<f32>,
}

#[derive(Default)]
struct Talk {
    said: Vec<String>,
    wanted: Vec<String>,
}

type Shared = Arc<(Mutex<Talk>, Condvar)>;

/// A browser with one page open; it ends when this is dropped.
pub struct Browser {
    shared: Shared,
    lines: Lines,
}

impl Drop for Browser {
    fn drop(&mut self) {
        self.lines.signal("TERM");
    }
}

/// Answers one request, and the next one on the same connection.
fn serve(stream: TcpStream, shared: &Shared) -> std::io::Result<()> {
    let mut reader = BufReader::new(stream.try_clone()?);
    let mut stream = stream;
    loop {
        let (mut request, mut length) = (String::new(), 0);
        if reader.read_line(&mut request)? == 0 {
            return Ok(());
        }
        loop {
            let mut line = String::new();
            reader.read_line(&mut line)?;
            let Some((key, value)) = line.split_once(':') else { break };
            if key.eq_ignore_ascii_case("content-length") {
                length = value.trim().parse().unwrap_or(0);
            }
        }
        let mut body = vec![0; length];
        reader.read_exact(&mut body)?;
        let (talk, bell) = &**shared;
        let mut talk = talk.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let answer = if request.contains(" /said ") {
            talk.said.push(String::from_utf8_lossy(&body).into_owned());
            bell.notify_all();
            String::new()
        } else if request.contains(" /wanted ") {
            let none = |talk: &mut Talk| talk.wanted.is_empty();
            let waited = bell.wait_timeout_while(talk, Duration::from_secs(2), none);
            talk = waited.unwrap_or_else(std::sync::PoisonError::into_inner).0;
            if talk.wanted.is_empty() { String::new() } else { talk.wanted.remove(0) }
        } else {
            PAGE.into()
        };
        drop(talk);
        let kind = if answer == PAGE { "text/html" } else { "text/plain" };
        write!(
            stream,
            "HTTP/1.1 200 OK\r\nContent-Type: {kind}\r\nCache-Control: no-store\r\nContent-Length: {}\r\n\r\n{answer}",
            answer.len()
        )?;
    }
}

impl Browser {
    /// Starts it for an account of the input group, with a home of its own, and waits until its page is there.
    ///
    /// # Errors
    /// When it does not start, or its page does not come.
    pub fn start(account: u32, home: &Path) -> Result<Self, String> {
        let listener = TcpListener::bind("127.0.0.1:0").map_err(|error| error.to_string())?;
        let address = listener.local_addr().map_err(|error| error.to_string())?;
        let shared = Shared::default();
        let of_server = shared.clone();
        std::thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let shared = of_server.clone();
                std::thread::spawn(move || drop(serve(stream, &shared)));
            }
        });
        std::fs::create_dir_all(home).map_err(|error| error.to_string())?;
        let open = std::fs::Permissions::from_mode(0o777);
        std::fs::set_permissions(home, open).map_err(|error| error.to_string())?;
        let mut command = Command::new("setpriv");
        command
            .args([format!("--reuid={account}"), format!("--regid={account}"), "--groups=input".into()])
            .arg(PROGRAM)
            .args(["--no-sandbox", "--disable-gpu", "--no-zygote", "--disable-dev-shm-usage", "--no-first-run"])
            .args(["--disable-extensions", "--disable-background-networking", "--disable-component-update"])
            .args(["--disable-breakpad", "--use-gl=disabled", "--disable-software-rasterizer"])
            // Without one of these it would print the page and end.
            .arg("--remote-debugging-port=0")
            .arg(format!("--user-data-dir={}", home.display()))
            .arg(format!("http://{address}/"))
            .env("HOME", home);
        let mut browser = Self { shared, lines: Lines::start(&mut command)? };
        browser.wait_long("its page", 5, |said| said.iter().any(|line| line == "loaded").then_some(()))?;
        Ok(browser)
    }

    /// Everything that the page has said.
    #[must_use]
    pub fn said(&self) -> Vec<String> {
        self.shared.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).said.clone()
    }

    fn wait_long<T>(
        &mut self,
        what: &str,
        times: u32,
        mut look: impl FnMut(&[String]) -> Option<T>,
    ) -> Result<T, String> {
        let (talk, bell) = &*self.shared;
        let until = Instant::now() + DEADLINE * times;
        let mut talk = talk.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        loop {
            if let Some(found) = look(&talk.said) {
                return Ok(found);
            }
            let left = until.saturating_duration_since(Instant::now());
            if left.is_zero() {
                let last: Vec<_> = talk.said.iter().rev().take(6).collect();
                return Err(format!("waited for: {what}; the page said last, the newest first: {last:?}"));
            }
            talk = bell.wait_timeout(talk, left).unwrap_or_else(std::sync::PoisonError::into_inner).0;
        }
    }

    /// Waits until what the page has said since `from` is so.
    ///
    /// # Errors
    /// After the deadline; with what it said last.
    pub fn wait<T>(
        &mut self,
        what: &str,
        from: usize,
        mut look: impl FnMut(&[String]) -> Option<T>,
    ) -> Result<T, String> {
        self.wait_long(what, 1, |said| look(&said[from.min(said.len())..]))
    }

    /// Waits until the page sees the pads so.
    ///
    /// # Errors
    /// After the deadline; with what it said last.
    pub fn sees<T>(&mut self, what: &str, mut so: impl FnMut(&[SeenPad]) -> Option<T>) -> Result<T, String> {
        self.wait(what, 0, |said| so(&state(said.iter().rev().find(|line| line.starts_with("state"))?)))
    }

    /// The page has a pad shake, and says what came of it.
    ///
    /// # Errors
    /// When it does not answer.
    pub fn rumble(&mut self, index: usize) -> Result<String, String> {
        let from = self.said().len();
        {
            let (talk, bell) = &*self.shared;
            talk.lock().unwrap_or_else(std::sync::PoisonError::into_inner).wanted.push(index.to_string());
            bell.notify_all();
        }
        self.wait("an answer", from, |said| {
            said.iter().find(|line| line.starts_with("rumble ") || line.starts_with("failed ")).cloned()
        })
    }
}

/// What a line says of the pads.
fn state(line: &str) -> Vec<SeenPad> {
    let numbers = |text: &str| text.split(',').filter_map(|one| one.parse().ok()).collect();
    let of = |word: &str| {
        let mut parts = word.split(':');
        let index = parts.next()?.parse().ok()?;
        Some(SeenPad { index, buttons: numbers(parts.next()?), axes: numbers(parts.next()?) })
    };
    line.split(' ').skip(1).filter_map(of).collect()
}
