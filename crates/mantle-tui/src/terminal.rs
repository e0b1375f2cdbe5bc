//! The terminal: checks it, runs the loop, and leaves it as it was found.

use crate::app::App;
use crate::strip::Strip;
use crate::theme::Look;
use crate::widths::SMALLEST;
use mantle_talk::{Answer, CommandNumber, HistoryAnswer, Order, Snapshot};
use ratatui::crossterm::event::{
    self, DisableBracketedPaste, DisableFocusChange, DisableMouseCapture, EnableBracketedPaste, EnableFocusChange,
    EnableMouseCapture, Event, KeyCode, KeyModifiers,
};
use ratatui::crossterm::execute;
use ratatui::crossterm::terminal::{EnterAlternateScreen, enable_raw_mode};
use ratatui::{Terminal, backend::CrosstermBackend};
use std::fmt;
use std::io::{self, BufWriter, IsTerminal};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender};
use std::time::Duration;

/// How long the first frame waits for the first snapshot.
const FIRST: Duration = Duration::from_millis(100);

/// Why a terminal cannot be used, in one sentence.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Unfit(pub String);

impl fmt::Display for Unfit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for Unfit {}

/// Checks the terminal, and works out how to draw on it.
///
/// # Errors
/// [`Unfit`], in one sentence that says what to do.
pub fn check_terminal(ascii: bool) -> Result<Look, Unfit> {
    check(ascii, SMALLEST)
}

/// The same for the strip of one slot.
///
/// # Errors
/// [`Unfit`], in one sentence that says what to do.
pub fn check_corner(ascii: bool) -> Result<Look, Unfit> {
    check(ascii, crate::strip::SMALLEST)
}

fn check(ascii: bool, smallest: (u16, u16)) -> Result<Look, Unfit> {
    let var = |name: &str| std::env::var(name).unwrap_or_default();
    if !io::stdout().is_terminal() || !io::stdin().is_terminal() {
        return Err(Unfit("this needs a terminal; without one, use --headless".into()));
    }
    if matches!(var("TERM").as_str(), "" | "dumb") {
        return Err(Unfit("this terminal cannot move its cursor (TERM is dumb or empty); use --headless".into()));
    }
    let (width, height) = ratatui::crossterm::terminal::size().unwrap_or((0, 0));
    if width < smallest.0 || height < smallest.1 {
        let (w, h) = smallest;
        return Err(Unfit(format!("this terminal has {width}x{height} cells; {w}x{h} are needed: enlarge it")));
    }
    let locale =
        ["LC_ALL", "LC_CTYPE", "LANG"].map(var).into_iter().find(|value| !value.is_empty()).unwrap_or_default();
    let locale = locale.to_ascii_lowercase();
    let utf8 = locale.contains("utf-8") || locale.contains("utf8");
    Ok(Look { ascii: ascii || !utf8, plain: !var("NO_COLOR").is_empty() })
}

/// Something for the loop to handle.
#[derive(Debug)]
pub enum Wake {
    /// There is a new snapshot.
    Snapshot,
    /// An event of the terminal.
    Terminal(Event),
    /// An order was done elsewhere, or refused.
    Answer(CommandNumber, Answer),
    /// The engine, or the system, asks us to end.
    Stop,
}

/// How the screen ended.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Outcome {
    /// The person left.
    Left,
    /// It was told to stop.
    Stopped,
    /// A thread of the program has panicked.
    Fallen,
}

/// Passes the terminal's events on, from a thread of its own.
pub fn watch_terminal(wakes: Sender<Wake>) {
    std::thread::spawn(move || {
        while let Ok(event) = event::read() {
            if wakes.send(Wake::Terminal(event)).is_err() {
                return;
            }
        }
        let _ = wakes.send(Wake::Stop);
    });
}

struct Restored;

impl Drop for Restored {
    fn drop(&mut self) {
        let _ = execute!(io::stdout(), DisableBracketedPaste, DisableFocusChange, DisableMouseCapture);
        ratatui::restore();
    }
}

/// Restores the terminal at once after a panic in any thread, and wakes the screen through `ends`.
fn guard(ends: Sender<Wake>) -> (Arc<AtomicBool>, Restored) {
    let hook = std::panic::take_hook();
    let fallen = Arc::new(AtomicBool::new(false));
    let falls = fallen.clone();
    std::panic::set_hook(Box::new(move |info| {
        falls.store(true, Ordering::Relaxed);
        let _ = execute!(io::stdout(), DisableBracketedPaste, DisableFocusChange, DisableMouseCapture);
        ratatui::restore();
        hook(info);
        let _ = ends.send(Wake::Stop);
    }));
    (fallen, Restored)
}

/// Runs the strip of one slot until the person leaves with q or Ctrl-C, or it is told to stop. It takes no mouse, and does not track
/// whether it has the keyboard.
///
/// # Errors
/// If the terminal cannot be written to.
pub fn run_strip(
    mut strip: Strip,
    wakes: &Receiver<Wake>,
    ends: Sender<Wake>,
    mut newest: impl FnMut() -> Option<Arc<Snapshot>>,
) -> io::Result<Outcome> {
    let (fallen, _restored) = guard(ends);
    enable_raw_mode()?;
    execute!(io::stdout(), EnterAlternateScreen)?;
    let out = BufWriter::with_capacity(1 << 14, io::stdout());
    let mut terminal = Terminal::new(CrosstermBackend::new(out))?;
    let mut draw = true;
    loop {
        if draw && !fallen.load(Ordering::Relaxed) {
            terminal.draw(|frame| strip.draw(frame))?;
        }
        draw = match wakes.recv() {
            Ok(Wake::Snapshot) => newest().is_some_and(|snapshot| strip.handle_snapshot(snapshot)),
            Ok(Wake::Terminal(Event::Key(key))) => {
                let stops = key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c');
                if stops || matches!(key.code, KeyCode::Char('q') | KeyCode::Esc) {
                    return Ok(Outcome::Left);
                }
                false
            }
            Ok(Wake::Terminal(Event::Resize(..))) => true,
            Ok(Wake::Terminal(_) | Wake::Answer(..)) => false,
            Ok(Wake::Stop) if fallen.load(Ordering::Relaxed) => return Ok(Outcome::Fallen),
            Ok(Wake::Stop) | Err(_) => return Ok(Outcome::Stopped),
        };
    }
}

/// Runs the screen until the person leaves, it is told to stop, or any thread panics. After a panic the terminal is restored
/// at once, and `ends` wakes the screen so that it ends as well.
///
/// # Errors
/// If the terminal cannot be written to.
pub fn run(
    mut app: App,
    wakes: &Receiver<Wake>,
    ends: Sender<Wake>,
    mut newest: impl FnMut() -> (Option<Arc<Snapshot>>, Vec<HistoryAnswer>),
    give: impl Fn(Order),
) -> io::Result<Outcome> {
    let (fallen, _restored) = guard(ends);
    enable_raw_mode()?;
    execute!(io::stdout(), EnterAlternateScreen, EnableMouseCapture, EnableFocusChange, EnableBracketedPaste)?;
    // A frame is written in one piece.
    let out = BufWriter::with_capacity(1 << 16, io::stdout());
    let mut terminal = Terminal::new(CrosstermBackend::new(out))?;
    let mut empty = true;
    loop {
        // The first frame waits a little for something to show.
        let patience = if empty { FIRST } else { app.patience() };
        let mut wake = match wakes.recv_timeout(patience) {
            Ok(wake) => Some(wake),
            Err(RecvTimeoutError::Timeout) => None,
            Err(RecvTimeoutError::Disconnected) => return Ok(Outcome::Stopped),
        };
        let mut draw = wake.is_none() && (empty || app.handle_quiet());
        while let Some(one) = wake {
            match one {
                Wake::Snapshot => {
                    let (snapshot, histories) = newest();
                    draw |= snapshot.is_some() || !histories.is_empty();
                    histories.into_iter().for_each(|answer| app.handle_history(answer));
                    if let Some(snapshot) = snapshot {
                        app.handle_snapshot(snapshot);
                    }
                }
                Wake::Terminal(event) => {
                    app.handle_event(&event);
                    draw = true;
                }
                Wake::Answer(number, answer) => {
                    app.handle_answer(number, &answer);
                    draw = true;
                }
                Wake::Stop if fallen.load(Ordering::Relaxed) => return Ok(Outcome::Fallen),
                Wake::Stop => return Ok(Outcome::Stopped),
            }
            wake = wakes.recv_timeout(Duration::ZERO).ok();
        }
        for order in app.take_orders() {
            give(order);
        }
        if app.left() {
            return Ok(Outcome::Left);
        }
        // After a panic in any thread the terminal belongs to the person again.
        if draw && !fallen.load(Ordering::Relaxed) {
            terminal.draw(|frame| app.draw(frame))?;
            empty = false;
        }
    }
}
