//! The board: one row per slot, one column per stage; below them, devices without a slot, and the sentences.

use crate::keys::Intent;
use crate::panel::{self, BARS, Ui};
use crate::rows::{Click, Row};
use crate::told::{self, At};
use crate::widths::{Columns, cells, middle};
use mantle_talk::{Counter, DeviceRow, Mark, Micros, Sentence, SlotRow, Stage, StageState};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// How long a press lights a cell.
const LIT: Micros = Micros::millis(250);

/// Whether something passed within [`LIT`].
pub fn lit(now: Micros, counter: &Counter) -> bool {
    counter.count > 0 && now.since(counter.last) < LIT
}

/// A stage's sign and the line to the next stage: heavy while something passes, light when all is well,
/// broken after a stop.
pub fn segment(ui: &mut Ui<'_>, x: u16, y: u16, width: u16, state: StageState, lit: bool) {
    let (style, sign) = ui.theme.stage(state);
    let (line, between) = match state {
        StageState::Passing | StageState::Doubtful if lit => (ui.theme.live, "━"),
        StageState::Passing | StageState::Doubtful => (ui.theme.live, "─"),
        StageState::Untried => (ui.theme.line, "─"),
        StageState::Stopped => (ui.theme.line, "╌"),
        StageState::Kept => (ui.theme.kept, "╌"),
    };
    ui.fill(x + 1, y, width.saturating_sub(1), line, between);
    ui.text(x, y, 1, style, sign);
}

/// Draws the board.
pub fn draw(ui: &mut Ui<'_>, area: Rect, row: Option<Row>, stage: Stage) {
    let columns = Columns::at(area.width);
    let chosen = columns.nearest(stage);
    for (stage, x, width) in &columns.stages {
        let end = ui.text(area.x + x, area.y, *width, ui.theme.quiet, stage.name());
        // Its key.
        ui.text(area.x + x, area.y, 1, ui.theme.key, &stage.name()[..1]);
        ui.clicks.push((Rect { x: area.x + x, y: area.y, width: *width, height: 1 }, Click::Key(Intent::Go(*stage))));
        let line = (area.x + x + width).saturating_sub(end + 3);
        if *stage != Stage::Games && line > 1 {
            let text = format!(" {}▸", "─".repeat(usize::from(line)));
            ui.text(end, area.y, line + 2, ui.theme.line, &text);
        }
    }
    let snapshot = ui.snapshot;
    let (slots, said) = (&snapshot.slots, &snapshot.sentences);
    let devices: Vec<&DeviceRow> = snapshot.devices.iter().filter(|device| device.slot.is_none()).collect();
    let shown = if area.height < 30 { 1 } else { 3 };
    let lines = |(n, sentence): (usize, &Sentence)| told::lines(sentence, area.width - 2, At::Board(n as u8)).len();
    let more = said.len().saturating_sub(shown);
    let sentences = said.iter().take(shown).enumerate().map(lines).sum::<usize>() as u16 + u16::from(more > 0);
    let room = area.height.saturating_sub(2 + sentences + 2);
    let devices_shown = (devices.len() as u16).min(if area.height < 30 { 3 } else { 8 });
    let for_slots = room.saturating_sub(devices_shown + 1);
    let count = slots.len().max(1) as u16;
    let tall = match for_slots / count {
        0..=2 => 2,
        3..=6 if count * 4 + 8 > for_slots => 3,
        _ => 4,
    };
    let mut y = area.y + if tall == 2 { 1 } else { 2 };
    // If not all rows fit, those around the chosen one are shown.
    let fit = (usize::from(for_slots / tall)).max(1);
    let at = slots.iter().position(|slot| row == Some(Row::Slot(slot.number))).unwrap_or(0);
    let first = (at + 1).saturating_sub(fit).min(slots.len().saturating_sub(fit));
    for slot in slots.iter().skip(first).take(fit) {
        slot_row(ui, area.x, y, tall, &columns, slot, row == Some(Row::Slot(slot.number)), chosen);
        y += tall;
    }
    let at = devices.iter().position(|d| row == Some(Row::Device(d.id, d.part))).unwrap_or(0);
    let first = (at + 1).saturating_sub(usize::from(devices_shown));
    for device in devices.iter().skip(first).take(usize::from(devices_shown)) {
        device_row(ui, area.x, y, &columns, device, row == Some(Row::Device(device.id, device.part)), chosen);
        y += 1;
    }
    if devices.len() > usize::from(devices_shown) {
        let more = devices.len() - usize::from(devices_shown);
        ui.text(area.x + 1, y, area.width - 2, ui.theme.quiet, &format!("and {more} more devices"));
        y += 1;
    }
    if slots.is_empty() && devices.is_empty() {
        ui.text(area.x + columns.head, y, area.width, ui.theme.quiet, "nothing is connected");
        y += 1;
    }
    if area.height >= 30 {
        y += 1;
    }
    rule(ui, area, y);
    y += 1;
    for (n, sentence) in said.iter().take(shown).enumerate() {
        y += told::sentence(ui, area.x + 1, y, area.width - 2, sentence, At::Board(n as u8));
    }
    y += told::more(ui, area.x + 3, y, area.width - 4, more);
    let below = area.bottom().saturating_sub(y);
    if below >= 5 {
        y += 1;
        if let Some(row) = row {
            let title = match row {
                Row::Slot(number) => format!("Slot {} ▸ {}", number.number(), chosen.name()),
                Row::Device(id, part) => {
                    let name = devices.iter().find(|d| (d.id, d.part) == (id, part)).map_or("", |d| d.name.as_str());
                    format!("{name} ▸ {}", chosen.name())
                }
            };
            let mut x = ui.text(area.x + 1, y, 60, ui.theme.strong, &title);
            x = ui.text(x + 3, y, area.right().saturating_sub(x + 4), ui.theme.quiet, panel::about(chosen));
            next_step(ui, x + 4, y, area.right().saturating_sub(1), row);
            let rest =
                Rect { x: area.x + 1, y: y + 2, width: area.width - 2, height: area.bottom().saturating_sub(y + 2) };
            let in_hand = ui.hand.is_some();
            panel::draw(ui, rest, chosen, in_hand);
        }
    }
}

/// The next step for the chosen slot, right-aligned.
fn next_step(ui: &mut Ui<'_>, from: u16, y: u16, to: u16, row: Row) {
    let Row::Slot(number) = row else { return };
    let slot = ui.snapshot.slots.iter().find(|slot| slot.number == number);
    let Some(next) = slot.and_then(|slot| slot.next.as_ref()) else { return };
    let text = format!("next: {next}");
    let width = cells(&text) as u16;
    if from + width <= to {
        ui.text(to - width, y, width, ui.theme.live, &text);
    }
}

fn rule(ui: &mut Ui<'_>, area: Rect, y: u16) {
    let text = "─".repeat(usize::from(area.width - 2));
    ui.text(area.x + 1, y, area.width - 2, ui.theme.line, &text);
}

/// A slot's state in a word, from its first sentence. A slot that plays beside an idle device still plays.
pub fn verdict(slot: &SlotRow) -> (Mark, &str) {
    match (slot.sentence.mark, slot.sentence.word.as_str()) {
        (Mark::Hint, "plays") => (Mark::Well, "plays"),
        (mark, word) => (mark, word),
    }
}

#[allow(clippy::too_many_arguments, reason = "a row is drawn in one go")]
fn slot_row(
    ui: &mut Ui<'_>,
    x0: u16,
    y: u16,
    tall: u16,
    columns: &Columns,
    slot: &SlotRow,
    chosen: bool,
    stage: Stage,
) {
    let theme = ui.theme;
    let (mark, word) = verdict(slot);
    let (mark_style, sign) = theme.mark(mark);
    let head = columns.head - 1;
    let title = format!("Slot {}", slot.number.number());
    ui.text(x0 + 1, y, head, if chosen { theme.chosen } else { theme.strong }, &title);
    if tall == 2 {
        ui.text(x0 + 1, y + 1, head, mark_style, &format!("{sign} {word}"));
    } else {
        ui.text(x0 + 1, y + 1, head, theme.quiet, &slot.profile);
        ui.text(x0 + 1, y + 2, head, mark_style, &format!("{sign} {word}"));
    }
    let last = columns.stages.len() - 1;
    for (index, (column, x, width)) in columns.stages.iter().enumerate() {
        let x = x0 + x;
        let text = width.saturating_sub(2);
        let state = slot.stages[*column as usize];
        let lit = lit(ui.snapshot.now, &slot.passed[*column as usize]);
        let [first, second] = cell(slot, *column, text);
        let style = match state {
            _ if chosen && *column == stage => theme.chosen,
            StageState::Stopped => theme.wrong,
            _ => Style::new(),
        };
        let first = if *column == Stage::Device { middle(&first, usize::from(text)) } else { first.into() };
        ui.text(x, y, text, style, &first);
        if tall > 2 {
            let style = match state {
                StageState::Stopped => theme.wrong,
                StageState::Doubtful => theme.doubt,
                StageState::Kept => theme.kept,
                _ if lit && matches!(column, Stage::Controls | Stage::Pad) => theme.live,
                _ => theme.quiet,
            };
            ui.text(x, y + 1, text, style, &second);
        }
        let segment_width = if index == last { 1 } else { *width };
        segment(ui, x, y + tall.min(3) - 1, segment_width, state, lit);
        let area = Rect { x, y, width: *width, height: tall.min(3) };
        ui.clicks.push((area, Click::Cell(Row::Slot(slot.number), *column)));
    }
}

/// The two lines of a cell.
fn cell(slot: &SlotRow, stage: Stage, width: u16) -> [String; 2] {
    let away = slot.stages[0] == StageState::Kept;
    let stops = slot.stages[stage as usize] == StageState::Stopped;
    match stage {
        Stage::Device if stops => [slot.names.join(" + "), "cannot be opened".into()],
        // Names that do not fit side by side are stacked.
        Stage::Device if slot.names.len() > 1 && cells(&slot.names.join(" + ")) > usize::from(width) => {
            let others = format!("+ {}", slot.names[1..].join(" + "));
            let both = format!("{others} · {}", slot.cover);
            let fits = cells(&both) <= usize::from(width);
            [slot.names[0].clone(), if fits { both } else { others }]
        }
        Stage::Device => {
            let both = format!("{} · {}", slot.place, slot.cover);
            // If both do not fit, the cover matters more than the port.
            let fits = cells(&both) <= usize::from(width);
            [slot.names.join(" + "), if fits { both } else { slot.cover.clone() }]
        }
        Stage::Reports if stops && slot.sentence.word == "silent" => [rate(slot), "silent".into()],
        Stage::Reports if stops => [rate(slot), "unreadable".into()],
        _ if away && matches!(stage, Stage::Reports | Stage::Controls) => ["-".into(), String::new()],
        Stage::Reports => [rate(slot), sparks(&slot.bars, width)],
        Stage::Controls => [slot.controls.0.to_string(), dots(slot.controls, width)],
        Stage::Bindings => {
            let (bound, all) = (slot.bound, slot.kind.model().targets.len() as u16);
            let second = match (slot.strokes, all.saturating_sub(bound)) {
                (0, 0) => String::new(),
                (0, left) => format!("{left} unused"),
                // What the slot types besides its pad.
                (1, _) => "and 1 key".into(),
                (strokes, _) => format!("and {strokes} keys"),
            };
            [if all == 0 { "no pad".to_owned() } else { format!("{bound} of {all}") }, second]
        }
        Stage::Feel => slot.feel.clone(),
        Stage::Pad if stops => ["no pad".into(), "not there".into()],
        Stage::Pad => [slot.kind.name().into(), held(slot)],
        Stage::Games => slot.games.clone(),
    }
}

fn rate(slot: &SlotRow) -> String {
    if slot.rate == 0 { "-".into() } else { format!("{} /s", slot.rate) }
}

/// Reports of the last second, an eighth of a second per character.
fn sparks(bars: &[u16; 8], width: u16) -> String {
    let bars = &bars[8usize.saturating_sub(usize::from(width))..];
    let most = bars.iter().copied().max().unwrap_or(0).max(1);
    if bars.iter().all(|bar| *bar == 0) {
        return String::new();
    }
    bars.iter().map(|bar| BARS[usize::from(*bar) * 3 / usize::from(most)]).collect()
}

/// One dot per control, filled while the control is off its rest.
fn dots((count, live): (u16, u64), width: u16) -> String {
    (0..count.min(width).min(64)).map(|index| if live >> index & 1 == 1 { '●' } else { '·' }).collect()
}

/// The pad's active controls, in words.
pub fn held(slot: &SlotRow) -> String {
    let model = slot.kind.model();
    let down = model.targets.iter().filter(|target| slot.pad.share(**target) > 0.3);
    let names: Vec<&str> = down.map(|target| model.name_of(*target).trim_start_matches("d-pad ")).collect();
    if names.is_empty() { "neutral".into() } else { names.join(", ") }
}

fn device_row(ui: &mut Ui<'_>, x0: u16, y: u16, columns: &Columns, device: &DeviceRow, chosen: bool, stage: Stage) {
    let theme = ui.theme;
    let head = columns.head - 1;
    let title = if device.waits.is_some() { "waits" } else { "no slot" };
    ui.text(x0 + 1, y, head, if chosen { theme.chosen } else { theme.quiet }, title);
    let pressed = device.changed.count > 0 && ui.snapshot.now.since(device.changed.last) < Micros::seconds(1);
    for (column, x, width) in &columns.stages {
        let x = x0 + x;
        let text = width.saturating_sub(1);
        let style = if chosen && *column == stage { theme.chosen } else { Style::new() };
        match column {
            Stage::Device => {
                let end = ui.text(x, y, text, style, &middle(&device.name, usize::from(text)));
                ui.text(end + 2, y, (x + text).saturating_sub(end + 2), theme.quiet, &device.place);
            }
            Stage::Reports => {
                let words = if device.rate == 0 { "-".into() } else { format!("{} /s", device.rate) };
                ui.text(x, y, text, theme.quiet, &words);
            }
            Stage::Controls => {
                ui.text(x, y, text, if pressed { theme.live } else { theme.quiet }, &dots(device.controls, text));
            }
            Stage::Bindings => {
                let rest = (columns.stages.last().map_or(0, |(_, x, w)| x + w)).saturating_sub(x - x0);
                if device.trouble.as_deref() == Some("not read") {
                    // Nobody plays with it, so it is not a fault.
                    ui.text(x, y, rest, theme.quiet, &format!("{}, not read: p places it", device.what));
                } else if let Some(trouble) = &device.trouble {
                    ui.text(x, y, rest, theme.doubt, trouble);
                } else if let Some(slot) = device.waits {
                    ui.text(x, y, rest, theme.quiet, &format!("plays in {slot} over another link"));
                } else if pressed {
                    ui.text(x, y, rest, theme.live, "pressed just now: p places it");
                } else {
                    ui.text(x, y, rest, theme.quiet, &device.what);
                }
            }
            _ => {}
        }
        let area = Rect { x, y, width: *width, height: 1 };
        ui.clicks.push((area, Click::Cell(Row::Device(device.id, device.part), *column)));
    }
}
