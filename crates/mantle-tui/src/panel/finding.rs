//! Finding fields by pressing: the question, what was seen, and what has been found.
//!
//! ```text
//! Press West and hold it.                                  press 2 of 3
//! ● seen: hold on
//!
//!   control          where                                    how sure
//! ✓ South            report 1, byte 1, bit 0                  sure
//! ▸ West
//! ```

use super::Ui;
use crate::widths::{cells, wrap};
use mantle_talk::{FindingView, FoundRow};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Lines of an answer: where, and why.
const ANSWER: u16 = 3;
/// Widths of the list and of the bytes beside it.
const LIST: u16 = 72;
const BYTES: u16 = 50;

/// Draws it.
pub fn draw(ui: &mut Ui<'_>, area: Rect, view: &FindingView, in_hand: bool) {
    let found = view.rows.iter().filter(|row| row.place.is_some()).count();
    let head = format!("Finding the fields of {}", view.name);
    let count = format!("{found} of {} found", view.rows.len());
    ui.text(area.x, area.y, area.width, ui.theme.quiet, &head);
    let at = area.right().saturating_sub(cells(&count) as u16 + 1);
    ui.text(at, area.y, 20, ui.theme.quiet, &count);
    let mut y = 2;
    ui.text(area.x, area.y + y, 2, ui.theme.live, "▸");
    let end = ui.text(area.x + 2, area.y + y, area.width - 2, ui.theme.strong, &view.prompt);
    if !view.done && view.proposal.is_none() && view.step.1 > 0 {
        let words = format!("{} of {}", view.step.0, view.step.1);
        ui.text(end + 3, area.y + y, 12, ui.theme.quiet, &words);
    }
    y += 1;
    match (&view.proposal, view.done) {
        (_, true) => done(ui, Rect { y: area.y + y, ..area }, found),
        (Some(proposal), _) => proposed(ui, Rect { y: area.y + y, ..area }, proposal),
        (None, _) => {
            let (style, words) = match view.taking {
                true => (ui.theme.live, "● seen: stay like this"),
                false => (ui.theme.quiet, "○ waiting for it; press space if you have done it"),
            };
            let width = area.width - 2;
            ui.text(area.x + 2, area.y + y, width, style, words);
            let remark = view.remark.as_ref().map(|remark| format!("▲ {remark}")).unwrap_or_default();
            for (line, text) in (1..ANSWER).zip(wrap(&remark, usize::from(width))) {
                ui.text(area.x + 2, area.y + y + line, width, ui.theme.doubt, &text);
            }
        }
    }
    // Space for the proposal is reserved, so that nothing jumps.
    y += ANSWER;
    if !view.besides.is_empty() {
        ui.text(area.x + 2, area.y + y, area.width - 2, ui.theme.quiet, &format!("also seen: {}", view.besides));
    }
    y += 1;
    if in_hand {
        const KEYS: &str = "in hand: a key holds, the same key lets go: digits, q w e r t z u o buttons; arrows d-pad; d f x c \
                            left stick, j l i k right stick; a s triggers; v moves what was held last through its travel";
        for line in wrap(KEYS, usize::from(area.width.saturating_sub(3))) {
            ui.text(area.x + 2, area.y + y, area.width - 2, ui.theme.doubt, &line);
            y += 1;
        }
    }
    y += 1;
    let mut rest = Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area };
    if area.width >= LIST + BYTES {
        // The bytes as they arrive.
        super::reports::draw(ui, Rect { x: area.x + LIST, width: area.width - LIST, ..rest });
        rest.width = LIST;
    }
    rows(ui, rest, view);
}

/// The proposal.
fn proposed(ui: &mut Ui<'_>, area: Rect, proposal: &(Option<String>, bool, String)) {
    let (place, sure, reason) = proposal;
    let width = area.width.saturating_sub(2);
    let (style, head) = match (place, sure) {
        (Some(place), true) => (ui.theme.live, format!("✓ {place}: sure")),
        (Some(place), false) => (ui.theme.doubt, format!("▲ {place}: not sure")),
        (None, _) => (ui.theme.doubt, "▲ nothing was found".to_owned()),
    };
    ui.text(area.x + 2, area.y, width, style, &head);
    for (line, text) in (1..ANSWER).zip(wrap(reason, usize::from(width))) {
        ui.text(area.x + 2, area.y + line, width, Style::new(), &text);
    }
}

fn done(ui: &mut Ui<'_>, area: Rect, found: usize) {
    let words = match found {
        0 => "Nothing was found. Esc closes.".to_owned(),
        n => format!("{n} controls are in the device's sheet. Esc closes; the device is then read by that sheet."),
    };
    ui.text(area.x + 2, area.y, area.width.saturating_sub(2), ui.theme.live, &words);
}

/// All controls; if they do not fit, those around the current one.
fn rows(ui: &mut Ui<'_>, area: Rect, view: &FindingView) {
    if area.height < 3 {
        return;
    }
    ui.text(area.x + 2, area.y, 18, ui.theme.quiet, "control");
    ui.text(area.x + 22, area.y, area.width.saturating_sub(22), ui.theme.quiet, "where");
    let room = usize::from(area.height - 1);
    let at = usize::from(view.at);
    let first = (at + 3).saturating_sub(room).min(view.rows.len().saturating_sub(room));
    for (line, (index, row)) in view.rows.iter().enumerate().skip(first).take(room).enumerate() {
        let y = area.y + 1 + line as u16;
        let FoundRow { name, place, sure } = row;
        let now = index == at && !view.done;
        let (sign, style) = match (now, place, sure) {
            (true, ..) => ("▸", ui.theme.strong),
            (_, Some(_), true) => ("✓", Style::new()),
            (_, Some(_), false) => ("▲", ui.theme.doubt),
            (_, None, _) => ("·", ui.theme.quiet),
        };
        ui.text(area.x, y, 1, style, sign);
        ui.text(area.x + 2, y, 19, style, name);
        let words = match place {
            Some(place) if !sure => format!("{place} (not sure)"),
            Some(place) => place.clone(),
            None if index < at => "skipped".into(),
            None => String::new(),
        };
        ui.text(area.x + 22, y, area.width.saturating_sub(23), if now { style } else { ui.theme.quiet }, &words);
    }
}
