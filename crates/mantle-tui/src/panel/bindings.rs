//! Bindings: every target with its sources, the pad with the chosen and the live controls, and unused controls.
//!
//! ```text
//! the targets, one a line           |  the pad, the chosen control marked
//!   ▸ ● target  action  ← source    |  the chosen target: what plays it, and where that is said
//!                                   |  controls that play nothing
//! ```

use super::{Ui, pad_picture, strokes};
use crate::options::{Choice, options_in};
use crate::rows::Click;
use mantle_talk::{BindingRow, Target};
use ratatui::layout::Rect;
use ratatui::style::Style;

const LIST: u16 = 60;
/// Lines needed under the drawing.
const TOLD: u16 = 12;
/// Columns of one option.
const OPTION: u16 = 32;
/// Lines for options under the list.
const SOME_OPTIONS: u16 = 5;

pub fn draw(ui: &mut Ui<'_>, area: Rect, target: Target) {
    let Some(detail) = ui.slot_detail() else { return };
    let chosen = detail.bindings.iter().position(|row| row.target == target).unwrap_or(0);
    let snapshot = ui.snapshot;
    let slot = snapshot.slots.iter().find(|slot| slot.number == detail.number);
    let profile = slot.map_or("", |slot| slot.profile.as_str());
    let names = slot.map(|slot| slot.names.join(" and ")).unwrap_or_default();
    let layer = match detail.layers.iter().find(|(name, ..)| name == ui.layer) {
        Some((name, hold, true)) => format!("layer {name} (after a press of {hold})"),
        Some((name, hold, false)) => format!("layer {name} (while {hold} is held)"),
        None if detail.layers.is_empty() => "its base".to_owned(),
        None => format!(
            "its base (y: {})",
            detail.layers.iter().map(|(name, ..)| name.as_str()).collect::<Vec<_>>().join(", ")
        ),
    };
    let lost = match detail.unplayed.len() {
        0 => String::new(),
        1 => "; ▲ one of its bindings does nothing here".to_owned(),
        many => format!("; ▲ {many} of its bindings do nothing here"),
    };
    let whose = format!("profile {profile}, {layer}, on {names}{lost}");
    ui.text(area.x, area.y, area.width, ui.theme.quiet, &whose);
    let told = 1 + strokes::draw(ui, Rect { y: area.y + 1, height: area.height.saturating_sub(1).min(4), ..area });
    let area = Rect { y: area.y + told, height: area.height.saturating_sub(told), ..area };
    let wide = area.width > LIST + pad_picture::SMALL.size.0;
    // Without room beside the list, the chosen target is described under it, with all of its options or just the chosen one.
    let below = if area.height > 18 { 3 + SOME_OPTIONS } else { 4 };
    let list_height = if wide { area.height } else { area.height.saturating_sub(below) };
    let list = Rect { width: if wide { LIST } else { area.width }, height: list_height, ..area };
    let actions = detail.bindings.iter().any(|row| row.action.is_some());
    let rows = usize::from(list.height.saturating_sub(1)).max(1);
    let first = (chosen + 1).saturating_sub(rows);
    let source_at = if actions { 34 } else { 23 };
    let below = detail.bindings.len().saturating_sub(first + rows);
    let title = if below == 0 { "target".to_owned() } else { format!("target ({below} more)") };
    ui.text(list.x + 4, list.y, 19, ui.theme.quiet, &title);
    if actions {
        ui.text(list.x + 23, list.y, 10, ui.theme.quiet, "action");
    }
    ui.text(list.x + source_at, list.y, 20, ui.theme.quiet, "source");
    for (index, row) in detail.bindings.iter().enumerate().skip(first).take(rows) {
        let y = list.y + 1 + (index - first) as u16;
        draw_row(ui, Rect { y, height: 1, ..list }, row, index == chosen, source_at);
        ui.clicks.push((Rect { y, height: 1, ..list }, Click::Target(row.target)));
    }
    let Some(row) = detail.bindings.get(chosen) else {
        let words = "Nothing is bound: K binds a key or the mouse to a press.";
        ui.text(list.x + 4, list.y + 1, area.width.saturating_sub(4), ui.theme.doubt, words);
        return;
    };
    if !wide {
        let at = Rect { y: list.bottom() + 1, height: area.bottom().saturating_sub(list.bottom() + 1), ..area };
        let told = tell(ui, Rect { height: at.height.min(2), ..at }, row);
        options(ui, Rect { y: at.y + told, height: at.height.saturating_sub(told), ..at }, row);
        return;
    }
    let beside = Rect { x: area.x + LIST + 2, width: area.width - LIST - 2, ..area };
    let large = &pad_picture::LARGE;
    // Under the drawing stand the chosen target, its options, and unused controls.
    let fits = beside.width >= large.size.0 && beside.height >= large.size.1 + TOLD;
    let shape = if fits { large } else { &pad_picture::SMALL };
    let slot = ui.snapshot.slots.iter().find(|slot| slot.number == detail.number);
    let (kind, state) = slot.map(|slot| (slot.kind.clone(), slot.pad)).unwrap_or_default();
    pad_picture::draw(ui, beside, (&kind, &state), shape, target.pad());
    let y = beside.y + shape.size.1 + 2;
    let at = Rect { y, height: beside.bottom().saturating_sub(y), ..beside };
    let told = tell(ui, at, row) + 1;
    let used = told + options(ui, Rect { y: at.y + told, height: at.height.saturating_sub(told), ..at }, row);
    let used = used + unplayed(ui, Rect { y: at.y + used, height: at.height.saturating_sub(used).min(8), ..at });
    left_out(ui, Rect { y: at.y + used, height: at.height.saturating_sub(used), ..at });
}

fn draw_row(ui: &mut Ui<'_>, at: Rect, row: &BindingRow, chosen: bool, source_at: u16) {
    let theme = ui.theme;
    let live = row.share > 0.02;
    let style = if live { theme.live } else { Style::new() };
    ui.text(at.x, at.y, 1, theme.key, if chosen { "▸" } else { " " });
    let sign = if ui.marked.contains(&row.target) {
        "+"
    } else if live {
        "●"
    } else {
        "·"
    };
    ui.text(at.x + 2, at.y, 1, if live { theme.live } else { theme.line }, sign);
    let name = if chosen {
        theme.chosen
    } else if row.sources.is_empty() {
        theme.quiet
    } else {
        style
    };
    ui.text(at.x + 4, at.y, 18, name, &row.name);
    if let Some(action) = &row.action {
        ui.text(at.x + 23, at.y, 10, style, action);
    }
    let width = at.width.saturating_sub(source_at + 1);
    let of = |layer: &str| {
        let own = row.sources.iter().zip(&row.said).filter(|(_, (_, of, _))| of == layer);
        own.map(|(source, _)| source.as_str()).collect::<Vec<_>>().join(", ")
    };
    let (own, base) = (of(ui.layer), of(""));
    match (own.is_empty(), ui.layer.is_empty()) {
        // Sources from layers come last.
        (true, true) if !row.sources.is_empty() => {
            ui.text(at.x + source_at, at.y, width, theme.quiet, &format!("← {}", row.sources.join(", ")))
        }
        (true, false) if !base.is_empty() => {
            // A control that the layer uses does nothing else in it.
            let taken = row.said.iter().filter(|(_, of, _)| of.is_empty()).find_map(|(name, ..)| used_in(ui, name));
            let words = match taken {
                Some((name, target)) => format!("nothing: {name} plays {target} here"),
                None => format!("as in the base: {base}"),
            };
            ui.text(at.x + source_at, at.y, width, theme.quiet, &words)
        }
        (true, _) => ui.text(at.x + source_at, at.y, width, theme.quiet, "nothing"),
        (false, true) => {
            // Sources from the base come before those from layers.
            let is_base = |at: usize| row.said.get(at).is_some_and(|(_, of, _)| of.is_empty());
            let more =
                row.sources.iter().enumerate().filter(|(at, _)| !is_base(*at)).map(|(_, source)| source.as_str());
            let all: Vec<&str> = std::iter::once(own.as_str()).chain(more).collect();
            ui.text(at.x + source_at, at.y, width, style, &format!("← {}", all.join(", ")))
        }
        (false, false) => ui.text(
            at.x + source_at,
            at.y,
            width,
            style,
            &format!("← {}", own.replace(&format!(" in {}", ui.layer), "")),
        ),
    };
}

/// What a source plays in the shown layer.
fn used_in(ui: &Ui<'_>, name: &str) -> Option<(String, String)> {
    let rows = &ui.slot_detail()?.bindings;
    let plays = |row: &&BindingRow| row.said.iter().any(|(own, of, _)| own == name && of == ui.layer);
    rows.iter().find(plays).map(|row| (name.to_owned(), row.name.clone()))
}

/// Describes the chosen target. Returns the number of lines used.
fn tell(ui: &mut Ui<'_>, at: Rect, row: &BindingRow) -> u16 {
    if at.height == 0 {
        return 0;
    }
    let theme = ui.theme;
    let capture = ui.snapshot.capture.as_ref().filter(|_| ui.listening);
    if let Some(capture) = capture {
        let name = row.action.as_ref().map_or_else(|| row.name.clone(), |action| format!("{} ({action})", row.name));
        let ask = format!("Press and release the control for {name}.");
        ui.text(at.x, at.y, at.width, theme.key, ui.asked.unwrap_or(&ask));
        let words = match (capture.pressed, &capture.unclear) {
            (true, _) => "something is pressed: release it",
            (false, Some(why)) => why.as_str(),
            (false, None) => "nothing is pressed yet",
        };
        ui.text(at.x, at.y + 1, at.width, theme.quiet, words);
        return 3;
    }
    let title = match &row.action {
        Some(action) => format!("{} ({action})", row.name),
        None => row.name.clone(),
    };
    let x = ui.text(at.x, at.y, at.width, theme.strong, &title);
    let now = if row.share > 0.02 { format!("  {:.0} %", row.share * 100.0) } else { "  at rest".into() };
    ui.text(x, at.y, 12, theme.quiet, &now);
    if row.sources.is_empty() {
        ui.text(at.x, at.y + 1, at.width, theme.quiet, "nothing plays it");
        return 2;
    }
    let lines = row.sources.len().min(usize::from(at.height.saturating_sub(1)));
    for (line, (source, (_, _, place))) in row.sources.iter().zip(&row.said).take(lines).enumerate() {
        let y = at.y + 1 + line as u16;
        let makes = row.by == Some(line as u8);
        let x = ui.text(at.x, y, at.width, if makes { theme.live } else { Style::new() }, &format!("← {source}"));
        let x = ui.text(x + 2, y, (at.right()).saturating_sub(x + 2), theme.quiet, place);
        if makes {
            ui.text(x + 2, y, at.right().saturating_sub(x + 2), theme.live, "active");
        }
    }
    1 + lines as u16
}

/// Draws the options of the chosen target's source. Returns the number of lines used.
fn options(ui: &mut Ui<'_>, at: Rect, row: &BindingRow) -> u16 {
    let Some(own) = options_in(row, ui.layer).filter(|_| !ui.listening) else { return 0 };
    let all = Choice::of(&own, row.target);
    let columns = (at.width / OPTION).max(1);
    let rows = (all.len() as u16).div_ceil(columns);
    let chosen_one = ui.choice % all.len().max(1);
    let draw = |ui: &mut Ui<'_>, at: Rect, index: usize, choice: Choice| {
        let chosen = index == chosen_one;
        ui.text(at.x, at.y, 1, ui.theme.key, if chosen { "▸" } else { " " });
        ui.text(at.x + 2, at.y, 13, if chosen { ui.theme.chosen } else { ui.theme.quiet }, choice.name());
        ui.text(at.x + 15, at.y, OPTION - 16, Style::new(), &choice.value(&own, row.combine, row.target));
        ui.clicks.push((Rect { width: OPTION - 1, height: 1, ..at }, Click::Choice(index)));
    };
    if at.height < rows + 1 {
        // Only the chosen option, and how many there are.
        if let Some(choice) = all.get(chosen_one).filter(|_| at.height > 0) {
            draw(ui, at, chosen_one, *choice);
            let words = format!("option {} of {}   ] next   + - change   = type", chosen_one + 1, all.len());
            ui.text(at.x + OPTION, at.y, at.width.saturating_sub(OPTION), ui.theme.quiet, &words);
        }
        return at.height.min(1);
    }
    for (index, choice) in all.into_iter().enumerate() {
        let (column, line) = (index as u16 / rows, index as u16 % rows);
        draw(ui, Rect { x: at.x + column * OPTION, y: at.y + line, ..at }, index, choice);
    }
    if at.height < rows + 2 {
        return rows + 1;
    }
    let words = "] and [ choose   + and - change   > and < by ten   = type the value";
    ui.text(at.x + 2, at.y + rows, at.width.saturating_sub(2), ui.theme.quiet, words);
    rows + 2
}

/// Lists bindings of the profile that do nothing here. Returns the number of lines used.
fn unplayed(ui: &mut Ui<'_>, at: Rect) -> u16 {
    let Some(detail) = ui.slot_detail() else { return 0 };
    listed(ui, at, "bindings that do nothing here, and why", &detail.unplayed, 26)
}

fn left_out(ui: &mut Ui<'_>, at: Rect) {
    let Some(detail) = ui.slot_detail() else { return };
    listed(ui, at, "unused controls, and why", &detail.left_out, 16);
}

/// Draws a heading with names and reasons. Returns the number of lines used, with a blank one after them.
fn listed(ui: &mut Ui<'_>, at: Rect, heading: &str, list: &[(String, String)], width: u16) -> u16 {
    if list.is_empty() || at.height < 2 {
        return 0;
    }
    if at.height == 2 && list.len() > 1 {
        // With room for one line only, the heading carries the count.
        ui.text(at.x, at.y, at.width, ui.theme.quiet, &format!("{heading}: {} of them", list.len()));
        return 2;
    }
    ui.text(at.x, at.y, at.width, ui.theme.quiet, heading);
    let rows = usize::from(at.height - 1);
    let shown = if list.len() > rows { rows - 1 } else { list.len() };
    for (index, (name, why)) in list.iter().take(shown).enumerate() {
        let y = at.y + 1 + index as u16;
        ui.text(at.x, y, width, Style::new(), name);
        ui.text(at.x + width + 1, y, at.width.saturating_sub(width + 1), ui.theme.quiet, why);
    }
    if shown < list.len() {
        let words = format!("and {} more", list.len() - shown);
        ui.text(at.x, at.bottom() - 1, at.width, ui.theme.quiet, &words);
    }
    (list.len() as u16 + 2).min(at.height)
}
