//! The last seconds as lines, one below the other, so that what happened at the same time stands in the same column.

use super::{BARS, Ui};
use crate::traces::{COLUMNS, Trace, Traced};
use mantle_talk::Shaped;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// What stands before a line, and behind it.
const NAME: u16 = 18;
const VALUE: u16 = 7;

/// How many columns a line has at this width.
fn columns(width: u16) -> usize {
    usize::from(width.saturating_sub(NAME + VALUE)).min(COLUMNS)
}

/// The heading of a picture that is so wide.
fn heading(ui: &mut Ui<'_>, at: Rect, words: &str) {
    let seconds = columns(at.width) as f32 / 10.0;
    ui.text(at.x, at.y, at.width, ui.theme.quiet, &format!("{words}, the last {seconds:.0} s"));
}

fn line(ui: &mut Ui<'_>, at: Rect, name: &str, trace: &Trace) {
    let values = trace.values(columns(at.width));
    ui.text(at.x, at.y, NAME - 1, Style::new(), name);
    let signs: String = values
        .iter()
        .map(|value| match (trace.is_button, *value > 0.5) {
            (true, true) => '█',
            (true, false) => '·',
            (false, _) => BARS[(value * 7.0).round() as usize % 8],
        })
        .collect();
    let style = if trace.moved(10) { ui.theme.live } else { Style::new() };
    // What is newest stands at the right end, from the beginning.
    let missing = (columns(at.width) - values.len()) as u16;
    ui.text(at.x + NAME + missing, at.y, at.width.saturating_sub(NAME + VALUE), style, &signs);
    let now = match trace.is_button {
        true => if trace.now() > 0.5 { "down" } else { "·" }.to_owned(),
        // What goes both ways from a middle is read as the planes say it.
        false if matches!(trace.what, Traced::Before(_) | Traced::After(_)) && trace.is_centred() => {
            format!("{:.0} %", trace.now() * 200.0 - 100.0)
        }
        false => format!("{:.0} %", trace.now() * 100.0),
    };
    let x = at.x + NAME + columns(at.width) as u16 + 1;
    ui.text(x, at.y, at.right().saturating_sub(x), ui.theme.quiet, &now);
}

/// Those that have moved within the time that is seen, in their order.
fn list(ui: &mut Ui<'_>, at: Rect, words: &str, nothing: &str, wanted: impl Fn(Traced) -> bool) {
    if at.height < 3 || at.width < NAME + VALUE + 10 {
        return;
    }
    heading(ui, at, words);
    let traces = ui.traces;
    let moved: Vec<&Trace> =
        traces.all().iter().filter(|trace| wanted(trace.what) && trace.moved(columns(at.width))).collect();
    if moved.is_empty() {
        ui.text(at.x, at.y + 1, at.width, ui.theme.quiet, nothing);
    }
    let room = usize::from(at.height - 1);
    for (row, trace) in moved.iter().take(room).enumerate() {
        let y = at.y + 1 + row as u16;
        if row + 1 == room && moved.len() > room {
            let words = format!("and {} more that moved", moved.len() - row);
            ui.text(at.x, y, at.width, ui.theme.quiet, &words);
            return;
        }
        line(ui, Rect { y, height: 1, ..at }, &trace.name, trace);
    }
}

/// The device's controls that have moved.
pub fn controls(ui: &mut Ui<'_>, at: Rect) {
    let nothing = "Nothing has moved. Press something on the device.";
    list(ui, at, "what the device did", nothing, |what| matches!(what, Traced::Control(..)));
}

/// What the pad has shown.
pub fn pad(ui: &mut Ui<'_>, at: Rect) {
    let nothing = "Nothing has reached the pad.";
    list(ui, at, "what games got", nothing, |what| matches!(what, Traced::Target(_)));
}

/// Both, side by side where there is room for that.
pub fn both(ui: &mut Ui<'_>, at: Rect) {
    let half = at.width / 2 - 1;
    if half < NAME + VALUE + 20 {
        return controls(ui, at);
    }
    controls(ui, Rect { width: half, ..at });
    pad(ui, Rect { x: at.x + half + 2, width: half, ..at });
}

/// A stick, axis or trigger before and after feel.
pub fn before_and_after(ui: &mut Ui<'_>, at: Rect, which: Shaped) {
    if at.height < 3 || at.width < NAME + VALUE + 10 {
        return;
    }
    heading(ui, at, "before feel, and after it");
    let first = which.axis();
    let lanes = if which.is_stick() { vec![(first, "X "), (first + 1, "Y ")] } else { vec![(first, "")] };
    let mut y = at.y + 1;
    for (lane, axis) in lanes {
        for (what, words) in [(Traced::Before(lane as u8), "before"), (Traced::After(lane as u8), "after")] {
            let traces = ui.traces;
            if let Some(trace) = traces.of(what).filter(|_| y < at.bottom()) {
                line(ui, Rect { y, height: 1, ..at }, &format!("{axis}{words}"), trace);
                y += 1;
            }
        }
    }
}
