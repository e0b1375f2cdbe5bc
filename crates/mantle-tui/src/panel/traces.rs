//! Traces of the last seconds, one per line, so that simultaneous events stand in the same column.

use super::{BARS, Ui};
use crate::traces::{COLUMNS, Trace, Traced};
use mantle_talk::Shaped;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Widths before and after a trace.
const NAME: u16 = 18;
const VALUE: u16 = 7;

/// Number of columns of a trace at this width.
fn columns(width: u16) -> usize {
    usize::from(width.saturating_sub(NAME + VALUE)).min(COLUMNS)
}

/// The heading of a picture of this width.
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
    // The newest value stands at the right end.
    let missing = (columns(at.width) - values.len()) as u16;
    ui.text(at.x + NAME + missing, at.y, at.width.saturating_sub(NAME + VALUE), style, &signs);
    let now = match trace.is_button {
        true => if trace.now() > 0.5 { "down" } else { "·" }.to_owned(),
        // Values around a middle read as on the planes.
        false if matches!(trace.what, Traced::Before(_) | Traced::After(_)) && trace.is_centred() => {
            format!("{:.0} %", trace.now() * 200.0 - 100.0)
        }
        false => format!("{:.0} %", trace.now() * 100.0),
    };
    let x = at.x + NAME + columns(at.width) as u16 + 1;
    ui.text(x, at.y, at.right().saturating_sub(x), ui.theme.quiet, &now);
}

/// The traces that moved within the visible time.
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

/// The device's controls that moved.
pub fn controls(ui: &mut Ui<'_>, at: Rect) {
    let nothing = "Nothing has moved. Press something on the device.";
    list(ui, at, "what the device did", nothing, |what| matches!(what, Traced::Control(..)));
}

/// What the pad has sent.
pub fn pad(ui: &mut Ui<'_>, at: Rect) {
    let nothing = "Nothing has reached the pad.";
    list(ui, at, "what games got", nothing, |what| matches!(what, Traced::Target(_)));
}

/// Both, side by side if there is room.
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
