//! Pad: the pad drawn live, the device's controls beside it, the check-off list.

use super::pad_picture::{LARGE, SMALL};
use super::{Ui, controls, pad_picture, seconds, senses, strokes};
use crate::rows::Click;
use crate::widths::wrap;
use mantle_talk::{BindingRow, SlotDetail, SlotRow, TrialView, took};
use ratatui::layout::Rect;
use ratatui::style::Style;

pub fn draw(ui: &mut Ui<'_>, area: Rect, in_hand: bool) {
    let Some(detail) = ui.slot_detail() else { return };
    let snapshot = ui.snapshot;
    let Some(row) = snapshot.slots.iter().find(|row| row.number == detail.number) else { return };
    let mut area = area;
    // On a small screen it replaces the check-off list, and only while it is in use.
    let room = area.height >= SMALL.size.1 + 7;
    if ui.trying && (room || detail.helping.is_some()) {
        area.height = area.height.saturating_sub(2);
        help(ui, Rect { y: area.bottom() + 1, height: 1, ..area }, detail);
    }
    let told = strokes::draw(ui, Rect { height: area.height.min(if area.height > 22 { 3 } else { 1 }), ..area });
    let told = if told > 0 && room { told + 1 } else { told };
    area = Rect { y: area.y + told, height: area.height.saturating_sub(told), ..area };
    let marked = ui.target.pad().filter(|_| ui.trying);
    let sensors = row.kind.model().has_sensors();
    if area.width >= LARGE.size.0 + 54 && area.height >= LARGE.size.1 + 12 {
        return draw_large(ui, area, row, detail, in_hand);
    }
    if sensors && area.height > SMALL.size.1 {
        area.height -= 1;
        senses::line(ui, Rect { y: area.bottom(), height: 1, ..area }, &row.pad.sensed);
    }
    let lines = facts_of(row);
    if area.height < SMALL.size.1 - 1 {
        // A drawing that is cut off says less than two lines of text.
        facts(ui, Rect { height: lines.min(area.height), ..area }, row, detail);
        if area.height > lines + 1 {
            still_to_try(ui, Rect { y: area.y + lines + 1, height: area.height - lines - 1, ..area });
        }
        return;
    }
    let wide = area.width >= 130;
    // A profile that only types has no pad to draw, but everything to try.
    let mut tried = detail.bindings.iter().filter(|binding| is_tried(binding)).peekable();
    if !wide && tried.peek().is_some() && tried.all(|binding| binding.target.is_key()) {
        return check_list(ui, area, area.width / 26);
    }
    pad_picture::draw(ui, area, (&row.kind, &row.pad), &SMALL, marked);
    let picture = SMALL.size;
    if wide {
        let list = Rect { x: area.x + picture.0 + 4, width: 34, ..area };
        check_list(ui, list, 1);
        let right = Rect { x: list.right() + 2, width: area.right().saturating_sub(list.right() + 2), ..area };
        controls::draw(ui, right, in_hand);
    } else if area.width >= picture.0 + 28 {
        let list = Rect { x: area.x + picture.0 + 3, width: area.width - picture.0 - 3, ..area };
        check_list(ui, list, 1);
    }
    if area.height >= picture.1 + 4 && (wide || area.height < picture.1 + 8) {
        let height = lines.min(area.height - picture.1 - 1);
        facts(ui, Rect { y: area.y + picture.1 + 1, height, ..area }, row, detail);
    } else if area.height > picture.1 && area.height <= picture.1 + 3 {
        still_to_try(ui, Rect { y: area.bottom() - 1, height: 1, ..area });
    } else if area.height > picture.1 + 3 {
        let below = Rect { y: area.y + picture.1 + 1, height: area.height - picture.1 - 1, ..area };
        if area.width >= picture.0 + 28 {
            controls::draw(ui, below, in_hand);
        } else {
            check_list(ui, below, area.width / 26);
        }
    }
}

/// The chosen control as games count it, and whether it is pressed or sent alone.
fn help(ui: &mut Ui<'_>, at: Rect, detail: &SlotDetail) {
    let theme = ui.theme;
    if let Some(help) = &detail.helping {
        let name = ui.name_of(help.target.into());
        let words = match (help.only, help.left) {
            (true, left) => format!("▲ only {name} is sent for another {}; s sends everything again", seconds(left)),
            (false, 0) => format!("▲ {name} is pressed now"),
            (false, left) => format!("▲ {name} will be pressed in {}: go to the game", seconds(left)),
        };
        ui.text(at.x, at.y, at.width, theme.doubt, &words);
        return;
    }
    let Some(row) = detail.bindings.iter().find(|row| row.target == ui.target) else { return };
    let x = ui.text(at.x, at.y, at.width, theme.strong, &row.name);
    let words = match row.index.is_empty() {
        true => "  is read from the pad's sensors and has no number".to_owned(),
        false => format!("  is {} to games, which count from 0", row.index),
    };
    ui.text(x, at.y, at.right().saturating_sub(x), theme.quiet, &words);
}

/// With enough room: a large drawing, the list under it, the device beside both.
fn draw_large(ui: &mut Ui<'_>, area: Rect, row: &SlotRow, detail: &SlotDetail, in_hand: bool) {
    let (width, height) = LARGE.size;
    pad_picture::draw(ui, area, (&row.kind, &row.pad), &LARGE, ui.target.pad().filter(|_| ui.trying));
    let mut below = Rect { y: area.y + height + 1, width, height: area.height - height - 1, ..area };
    if row.kind.model().has_sensors() {
        senses::bars(ui, below, &row.pad.sensed);
        let lines = senses::BARS + 1;
        below = Rect { y: below.y + lines, height: below.height.saturating_sub(lines), ..below };
    }
    // Enough columns to show all of it while names stay readable.
    let tried = detail.bindings.iter().filter(|row| is_tried(row)).count() as u16;
    check_list(ui, below, if tried.div_ceil(3) < below.height { 3 } else { 4 });
    let right = Rect { x: area.x + width + 4, width: area.width - width - 4, ..area };
    let name = detail.devices.iter().map(|device| device.name.as_str()).collect::<Vec<_>>().join(" + ");
    ui.text(right.x, right.y, right.width, ui.theme.strong, &name);
    let known = facts_of(row);
    facts(ui, Rect { y: area.bottom() - known - 1, height: known, ..right }, row, detail);
    let lines = detail.trial.as_ref().map_or(0, trial_lines);
    let tried = if lines > 0 { lines + 1 } else { 0 };
    if let Some(trial) = detail.trial.as_ref().filter(|_| lines > 0) {
        measured(ui, Rect { y: area.bottom() - known - 2 - lines, height: lines, ..right }, trial);
    }
    controls::draw(
        ui,
        Rect { y: right.y + 2, height: right.height.saturating_sub(known + 5 + tried), ..right },
        in_hand,
    );
}

/// The most lines for measurements.
const TRIAL: u16 = 14;

/// Number of lines for measurements.
fn trial_lines(trial: &TrialView) -> u16 {
    match trial.sticks.len() + trial.singles().count() {
        0 => 0,
        many => (many as u16 + 1).min(TRIAL),
    }
}

/// How round the sticks are, how far other axes go, how much each drifts.
fn measured(ui: &mut Ui<'_>, area: Rect, trial: &TrialView) {
    let drift = |(most, seconds): (f32, u32)| match seconds {
        0 | u32::MAX => String::new(),
        seconds => format!(", drift {:.1} % in {seconds} s", most * 100.0),
    };
    let sticks = trial.sticks.iter().map(|stick| {
        let found = match stick.roundness {
            Some((least, most, off)) => {
                let [least, most, off] = [least, most, off].map(|share| share * 100.0);
                format!("{least:.0} to {most:.0} %, {off:.1} % off a circle")
            }
            None => "not rolled around yet".into(),
        };
        (stick.name.as_str(), format!("{found}{}", drift(trial.drift_of(stick))))
    });
    let singles = trial.singles().map(|axis| {
        let (low, high) = axis.ends;
        let ends = if low < 0 { format!("{low} to {high}") } else { high.to_string() };
        let found = axis.travel.map_or("nothing yet".into(), |(from, to)| format!("{from} to {to} of {ends}"));
        (axis.name.as_str(), format!("{found}{}", drift(axis.drift)))
    });
    let words = match (trial.sticks.is_empty(), trial.singles().next().is_none()) {
        (_, true) => "roll each stick around, then hands off",
        (true, false) => "move each axis to its ends, then hands off",
        (false, false) => "roll the sticks around, move the rest to their ends, then hands off",
    };
    ui.text(area.x, area.y, area.width, ui.theme.quiet, words);
    for ((name, found), line) in sticks.chain(singles).zip(1..area.height) {
        found_line(ui, area, line, name, &found);
    }
}

fn found_line(ui: &mut Ui<'_>, area: Rect, line: u16, name: &str, found: &str) {
    ui.text(area.x, area.y + line, 13, ui.theme.quiet, name);
    ui.text(area.x + 14, area.y + line, area.width.saturating_sub(14), Style::new(), found);
}

/// Number of lines of [`facts`].
fn facts_of(row: &SlotRow) -> u16 {
    if row.kind.own().is_some() { 6 } else { 4 }
}

/// The pad's node, what comes back to the hand, and the time from a report to the pad.
fn facts(ui: &mut Ui<'_>, area: Rect, row: &SlotRow, detail: &SlotDetail) {
    let place = match &detail.pad_node {
        _ if !row.kind.model().is_made() => "no pad is made".into(),
        node if node.is_empty() => "not there yet".into(),
        node => format!("{node}: {}", detail.made),
    };
    // Labels of a pair have nine columns.
    let called = match &row.kind {
        kind if kind.own().is_some() => "own pad",
        kind if kind.name().len() > 10 => "stick",
        kind => kind.name(),
    };
    ui.pair(area, 0, called, &place);
    let percent = |value: u16| u32::from(value) * 100 / 65535;
    let asked = match detail.rumble {
        Some((strong, weak)) => format!("a game asks for strong {} %, weak {} %", percent(strong), percent(weak)),
        None => "no game asks for any".into(),
    };
    let strength = match row.feedback.rumble {
        0 => "off".into(),
        strength => format!("at {strength} %"),
    };
    let (motors, lamps) = detail.shows;
    let strength = if motors { strength } else { "no motor is known".into() };
    ui.pair(area, 1, "rumble", &format!("{strength}; {asked}"));
    let lamp = if lamps { row.feedback.lamp.words() } else { "nothing: none is known".into() };
    let wanted = match detail.game_lamps.as_str() {
        "" => lamp,
        wanted => format!("{lamp}; a game wants {wanted}"),
    };
    ui.pair(area, 2, "lamps show", &wanted);
    let delay = &detail.delay;
    let words = match delay.count {
        0 => "nothing was sent within the last minute".into(),
        _ => format!("half within {}, 1 % over {}, longest {}", took(delay.p50), took(delay.p99), took(delay.most)),
    };
    ui.pair(area, 3, "report→pad", &words);
    if let Some(own) = row.kind.own() {
        // Some games accept only certain names and numbers.
        ui.pair(area, 4, "to games", &own.numbers());
        ui.pair(area, 5, "", "with another name or number it is another pad to a game");
    }
}

/// Whether a target is to be tried: a bound control of the pad, or a typed key.
fn is_tried(binding: &BindingRow) -> bool {
    !binding.sources.is_empty() && binding.target.is_seen()
}

/// The check-off list in words, for lack of room.
fn still_to_try(ui: &mut Ui<'_>, area: Rect) {
    let Some(detail) = ui.slot_detail() else { return };
    let bound: Vec<_> = detail.bindings.iter().filter(|binding| is_tried(binding)).collect();
    let left: Vec<_> = bound.iter().filter(|binding| !binding.seen).map(|binding| binding.name.as_str()).collect();
    let seen = bound.len() - left.len();
    let short = area.height == 1;
    let text = if bound.is_empty() {
        "nothing is bound: there is nothing to try".to_owned()
    } else if left.is_empty() {
        format!("✓ all {seen} seen from rest to full and back")
    } else if short {
        format!("{seen} of {} seen; next: {}", bound.len(), left[0])
    } else {
        format!("{seen} of {} seen to full and back; still to try: {}", bound.len(), left.join(", "))
    };
    // Without a line of its own, the chosen control is named here.
    let chosen = detail.bindings.iter().find(|row| row.target == ui.target).filter(|_| ui.trying && short);
    let text = match chosen {
        Some(row) if row.index.is_empty() => format!("▸ {}   {text}", row.name),
        Some(row) => format!("▸ {} ({} to games)   {text}", row.name, row.index),
        None => text,
    };
    for (line, text) in wrap(&text, usize::from(area.width)).iter().enumerate().take(usize::from(area.height)) {
        ui.text(area.x, area.y + line as u16, area.width, ui.theme.quiet, text);
    }
}

/// The check-off list: which bound targets went from rest to full and back.
fn check_list(ui: &mut Ui<'_>, area: Rect, columns: u16) {
    let Some(detail) = ui.slot_detail() else { return };
    let bound: Vec<_> = detail.bindings.iter().filter(|binding| is_tried(binding)).collect();
    let seen = bound.iter().filter(|binding| binding.seen).count();
    let heading = if bound.is_empty() {
        "nothing is bound".to_owned()
    } else if seen == bound.len() {
        format!("✓ all {seen} seen from rest to full and back")
    } else {
        format!("seen to full and back: {seen} of {}", bound.len())
    };
    let style = if seen == bound.len() && seen > 0 { ui.theme.live } else { ui.theme.quiet };
    ui.text(area.x, area.y, area.width, style, &heading);
    let columns = columns.max(1);
    let width = area.width / columns;
    for (index, binding) in bound.iter().enumerate() {
        let (column, line) = (index as u16 % columns, index as u16 / columns);
        let y = area.y + 1 + line;
        if y >= area.bottom() {
            break;
        }
        let x = area.x + column * width;
        let (style, sign) = if binding.seen { (ui.theme.live, "✓") } else { (ui.theme.line, "○") };
        ui.text(x, y, 1, style, sign);
        ui.clicks.push((Rect { x, y, width, height: 1 }, Click::Target(binding.target)));
        let live = binding.share > 0.02;
        ui.text(
            x + 2,
            y,
            width.saturating_sub(3).min(18),
            if live { ui.theme.live } else { Style::new() },
            &binding.name,
        );
        if columns == 1 && live {
            ui.bar(x + 21, y, 8, binding.share, ui.theme.live);
        }
    }
}
