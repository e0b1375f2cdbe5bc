//! Calibration: what to do, what was measured, what is proposed.
//!
//! ```text
//! Calibration  Quay pad
//! Move everything through its whole travel: …
//!
//! axis    lowest   rest  highest  noise   drift  dead zone  rests
//! X            3    131      250      2   1.2 %       0.05  in between
//!
//! not pressed yet: button 3, button 4
//! ```

use super::{Ui, seconds};
use crate::widths::cells;
use mantle_talk::{AxisView, CalibrationPhase, CalibrationView, percent};
use ratatui::layout::Rect;
use ratatui::style::Style;

pub fn draw(ui: &mut Ui<'_>, area: Rect, view: &CalibrationView) {
    let theme = ui.theme;
    let x = ui.text(area.x, area.y, area.width, theme.strong, "Calibration");
    ui.text(x + 2, area.y, area.right().saturating_sub(x + 2), theme.quiet, &view.name);
    let left = seconds(view.left);
    let (ask, more) = match view.phase {
        CalibrationPhase::Rest => (
            format!("1 of 3  Hands off for another {left}."),
            "Measuring where everything rests, and how much it trembles.",
        ),
        CalibrationPhase::Travel => (
            "2 of 3  Move everything through its full travel, press every button, then let go.".to_owned(),
            "Roll sticks around their edge; move triggers, pedals and levers to the end and back. Enter goes on without the rest.",
        ),
        CalibrationPhase::LetGo => (
            format!("3 of 3  Hands off for another {left}."),
            "Comparing where everything returns to with where it rested before.",
        ),
        CalibrationPhase::Proposal => (
            "Enter accepts this for this device only; u undoes it.".to_owned(),
            "Backspace measures again, Esc discards.",
        ),
    };
    ui.text(area.x, area.y + 2, area.width, theme.strong, &ask);
    ui.text(area.x, area.y + 3, area.width, theme.quiet, more);
    if let Some(moved) = &view.moved {
        let words = format!("▲ {moved} moved: starting again");
        ui.text(area.x, area.y + 4, area.width, theme.doubt, &words);
    }
    let table = Rect { y: area.y + 6, height: area.height.saturating_sub(6), ..area };
    heading(ui, table);
    let mut y = table.y + 1;
    let below = 4;
    for axis in &view.axes {
        if y + below >= table.bottom() {
            break;
        }
        row(ui, Rect { y, height: 1, ..table }, axis, view.phase);
        y += 1;
    }
    y += 1;
    if view.phase == CalibrationPhase::Proposal {
        let of = |share: Option<f32>, whose: &str| share.map(|share| format!("{} for {whose}", percent(share)));
        let both: Vec<String> =
            [of(view.dead_zones[0], "sticks"), of(view.dead_zones[1], "triggers")].into_iter().flatten().collect();
        if !both.is_empty() {
            let words =
                format!("Dead zones that hide this noise and drift: {}. z puts them in the profile.", both.join(", "));
            y += ui.wrapped(Rect { y, height: 2, ..table }, Style::new(), &words);
        }
    }
    if view.phase != CalibrationPhase::Rest && !view.silent.is_empty() {
        let dead = view.phase == CalibrationPhase::Proposal;
        let words = if dead { "dead or not pressed" } else { "not pressed yet" };
        let height = table.bottom().saturating_sub(y);
        let style = if dead { theme.doubt } else { theme.quiet };
        ui.wrapped(Rect { y, height, ..table }, style, &format!("{words}: {}", view.silent.join(", ")));
    }
}

/// Right ends of the columns: lowest, rest, highest, noise, drift, dead zone.
const ENDS: [u16; 6] = [24, 32, 40, 47, 55, 66];

fn heading(ui: &mut Ui<'_>, at: Rect) {
    let quiet = ui.theme.quiet;
    ui.text(at.x, at.y, 14, quiet, "axis");
    for (end, words) in ENDS.into_iter().zip(["lowest", "rest", "highest", "noise", "drift", "dead zone"]) {
        right(ui, at, end, quiet, words);
    }
    ui.text(at.x + 68, at.y, at.width.saturating_sub(68), quiet, "rests");
}

/// Writes right-aligned text.
fn right(ui: &mut Ui<'_>, at: Rect, end: u16, style: Style, text: &str) {
    let width = cells(text) as u16;
    if end <= at.width {
        ui.text(at.x + end.saturating_sub(width), at.y, width, style, text);
    }
}

fn row(ui: &mut Ui<'_>, at: Rect, axis: &AxisView, phase: CalibrationPhase) {
    let theme = ui.theme;
    let style = if axis.measured.is_some() { Style::new() } else { theme.quiet };
    ui.text(at.x, at.y, 14, style, &axis.name);
    let cells = match axis.measured {
        Some((low, rest, high)) => [low, rest, high].map(|number| number.to_string()),
        None => ["–", "–", "–"].map(str::to_owned),
    };
    for (end, text) in ENDS.into_iter().zip(&cells) {
        right(ui, at, end, style, text);
    }
    if axis.measured.is_some() {
        right(ui, at, ENDS[3], style, &axis.noise.to_string());
    }
    if axis.measured.is_some() && phase == CalibrationPhase::Proposal {
        right(ui, at, ENDS[4], style, &format!("{:.1} %", axis.drift * 100.0));
        right(ui, at, ENDS[5], style, &percent(axis.dead_zone));
    }
    let early = phase != CalibrationPhase::Proposal && axis.rests.starts_with("not moved");
    let rests = if early { "not moved yet" } else { axis.rests.as_str() };
    ui.text(at.x + 68, at.y, at.width.saturating_sub(68), theme.quiet, rests);
}
