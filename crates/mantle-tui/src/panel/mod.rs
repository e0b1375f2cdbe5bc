//! The seven stages: one panel each, used under the board and in the stage's own view.

mod bindings;
mod calibration;
mod controls;
mod device;
mod feel;
pub mod finding;
pub mod flight_picture;
pub mod games;
pub mod journal;
mod pad;
pub mod pad_picture;
pub mod profiles;
mod ranges;
mod reports;
mod rollcall;
mod senses;
mod strokes;
mod traces;

use crate::frozen::Frozen;
use crate::keys::Key;
use crate::rows::{Click, Message};
use crate::theme::Theme;
use crate::traces::Traces;
use crate::widths::{cells, fitting, is_narrow};
pub(crate) use controls::Seen;
use mantle_talk::{Detail, DeviceDetail, PadTarget, Shaped, SlotDetail, Snapshot, Stage, Target, visible};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

/// Everything that a panel needs for drawing.
pub struct Ui<'a> {
    /// The target.
    pub buffer: &'a mut Buffer,
    /// The styles.
    pub theme: Theme,
    /// The facts.
    pub snapshot: &'a Snapshot,
    /// Whether the detail belongs to the chosen row; right after a move it still belongs to the previous one.
    pub fresh: bool,
    /// Frozen reports.
    pub frozen: Option<&'a Frozen>,
    /// The chosen control of the pad.
    pub target: Target,
    /// The stick or trigger whose feel is shown, and its chosen setting.
    pub shaped: Shaped,
    pub knob: mantle_talk::Knob,
    /// The shown layer, and the chosen option.
    pub layer: &'a str,
    pub choice: usize,
    /// Whether the Pad view of a slot is open.
    pub trying: bool,
    /// Whether only ASCII may be drawn.
    pub ascii: bool,
    /// Whether the shown device is being calibrated.
    pub calibrating: bool,
    /// Targets marked for a roll call.
    pub marked: &'a [Target],
    /// Whether a press is listened for, and the request if it is a special one.
    pub listening: bool,
    pub asked: Option<&'a str>,
    /// The chosen row in the list of what a game sees.
    pub listed: usize,
    /// The scroll position of the controls.
    pub(crate) seen: Seen,
    /// Index of the chosen control in hand; none if nothing is in hand.
    pub hand: Option<usize>,
    /// Whether the keys of the hand stand beside the controls drawn so far.
    pub(crate) hand_keys: bool,
    /// The last seconds of what moved.
    pub(crate) traces: &'a Traces,
    /// What clicks mean.
    pub clicks: &'a mut Vec<(Rect, Click)>,
}

/// Writes a line, cut at a width, with visible signs for control characters. Returns the next column.
pub(crate) fn write(buffer: &mut Buffer, x: u16, y: u16, width: u16, style: Style, text: &str) -> u16 {
    let area = buffer.area;
    if y < area.y || y >= area.bottom() || x >= area.right() || width == 0 {
        return x;
    }
    let width = width.min(area.right() - x);
    if let Some(end) = write_narrow(buffer, x, y, width, style, text) {
        return end;
    }
    let text = &*visible(text);
    let long = cells(text) > usize::from(width);
    let room = if long { width - 1 } else { width };
    let (end, _) = buffer.set_stringn(x, y, text, usize::from(room), style);
    // A character of two cells may not have fitted before it.
    if long { buffer.set_stringn(end, y, "…", 1, style).0 } else { end }
}

/// The same for text whose characters all take one cell, as nearly all do; none for other text.
fn write_narrow(buffer: &mut Buffer, x: u16, y: u16, width: u16, style: Style, text: &str) -> Option<u16> {
    let first = buffer.index_of(x, y);
    let row = buffer.content.get_mut(first..first + usize::from(width))?;
    let mut count = 0;
    for c in text.chars() {
        if !is_narrow(c) {
            return None;
        }
        match row.get_mut(count) {
            Some(cell) => {
                cell.set_char(c).set_style(style);
                count += 1;
            }
            // The last cell says that there is more.
            None => {
                row[count - 1].set_char('…');
                break;
            }
        }
    }
    Some(x + count as u16)
}

/// Traces of nothing.
static EMPTY: Traces = Traces::new();

impl<'a> Ui<'a> {
    /// For drawing without anything chosen.
    pub fn plain(
        buffer: &'a mut Buffer,
        theme: Theme,
        snapshot: &'a Snapshot,
        ascii: bool,
        clicks: &'a mut Vec<(Rect, Click)>,
    ) -> Self {
        Self {
            buffer,
            theme,
            snapshot,
            fresh: true,
            frozen: None,
            target: Target::Pad(PadTarget::South),
            shaped: Shaped::LeftStick,
            knob: mantle_talk::Knob::DeadZone,
            layer: "",
            choice: 0,
            trying: false,
            ascii,
            calibrating: false,
            marked: &[],
            listening: false,
            asked: None,
            listed: 0,
            seen: Seen::default(),
            hand: None,
            hand_keys: false,
            traces: &EMPTY,
            clicks,
        }
    }

    /// Writes a line, cut at a width. Returns the next column.
    pub fn text(&mut self, x: u16, y: u16, width: u16, style: Style, text: &str) -> u16 {
        write(self.buffer, x, y, width, style, text)
    }

    /// Marks where the next typed letter goes.
    pub fn cursor(&mut self, x: u16, y: u16) {
        if let Some(cell) = self.buffer.cell_mut((x, y)) {
            cell.set_style(Style::new().add_modifier(Modifier::REVERSED));
        }
    }

    /// Writes text broken between words. Returns the number of lines.
    pub fn wrapped(&mut self, at: Rect, style: Style, text: &str) -> u16 {
        let lines = crate::widths::wrap(text, usize::from(at.width));
        for (line, text) in (0..at.height).zip(&lines) {
            self.text(at.x, at.y + line, at.width, style, text);
        }
        (lines.len() as u16).clamp(1, at.height.max(1))
    }

    /// Writes a label and an aligned value.
    pub fn pair(&mut self, area: Rect, line: u16, label: &str, value: &str) {
        const LABEL: u16 = 12;
        if line < area.height && area.width > LABEL {
            self.text(area.x, area.y + line, LABEL - 1, self.theme.quiet, label);
            self.text(area.x + LABEL, area.y + line, area.width - LABEL, Style::new(), value);
        }
    }

    /// Draws a bar for a share from 0 to 1.
    pub fn bar(&mut self, x: u16, y: u16, width: u16, share: f32, style: Style) {
        let full = (share.clamp(0.0, 1.0) * f32::from(width)).round() as u16;
        self.fill(x, y, full, style, "█");
        self.fill(x + full, y, width - full, self.theme.line, "·");
    }

    /// Repeats a sign.
    pub fn fill(&mut self, x: u16, y: u16, width: u16, style: Style, sign: &str) {
        let at = Rect { x, y, width, height: 1 }.intersection(self.buffer.area);
        for x in at.left()..at.right() {
            if let Some(cell) = self.buffer.cell_mut((x, at.y)) {
                cell.set_symbol(sign).set_style(style);
            }
        }
    }

    /// Draws a mark at a share from 0 to 1 of a line.
    pub fn slide(&mut self, x: u16, y: u16, width: u16, share: f32, style: Style) {
        self.fill(x, y, width, self.theme.line, "·");
        let at = (share.clamp(0.0, 1.0) * f32::from(width.saturating_sub(1))).round() as u16;
        self.text(x + at, y, 1, style, "●");
    }

    /// The top line, and below it a warning about the machine; away from the board, where sentences are not shown, also what is
    /// wrong with files.
    pub fn title(&mut self, area: Rect, on_board: bool) {
        let snapshot = self.snapshot;
        let x = self.text(area.x + 1, area.y, 20, self.theme.key, "placid mantle");
        let live = snapshot.slots.iter().filter(|slot| slot.is_live()).count();
        let mut right = match live {
            1 => "1 pad".to_owned(),
            n => format!("{n} pads"),
        };
        if snapshot.header.replay {
            right.push_str("   recorded");
        } else if snapshot.header.demo {
            right.push_str("   simulated");
        }
        if snapshot.locked {
            right.push_str("   locked");
        }
        if let Some(engine) = &snapshot.header.attached {
            right.push_str(&format!("   {engine}"));
        }
        if let Some(account) = &snapshot.header.account {
            right = format!("{account}   {right}");
        }
        let width = cells(&right) as u16;
        let at = area.right().saturating_sub(width + 1);
        self.text(x + 2, area.y, at.saturating_sub(x + 3), self.theme.quiet, &snapshot.header.title);
        self.text(at, area.y, width, self.theme.quiet, &right);
        let of_files = |one: &&mantle_talk::Sentence| one.mark == mantle_talk::Mark::Doubt && one.slot.is_none();
        let said = snapshot.sentences.iter().find(of_files).filter(|_| !on_board).map(|one| &one.text);
        if let Some(warning) = snapshot.header.warning.as_ref().or(said) {
            self.text(area.x + 1, area.y + 1, area.width - 2, self.theme.doubt, &format!("▲ {warning}"));
        }
    }

    /// The hints at the bottom, or the latest message.
    pub fn foot(&mut self, area: Rect, keys: &[Key], message: Option<&Message>, in_hand: bool) {
        let mut x = area.x + 1;
        let paused = self.snapshot.paused;
        let words_of =
            |key: &Key| if key.intent == crate::keys::Intent::LetGo && paused { "resume" } else { key.words };
        let width = |key: &Key| (cells(key.label) + words_of(key).len() + 3) as u16;
        // If they do not fit, hints before the last three are dropped: commands, help and leaving stay.
        let mut keys: Vec<Key> = keys.to_vec();
        while keys.len() > 4 && x + keys.iter().map(width).sum::<u16>() > area.right() {
            keys.remove(keys.len() - 4);
        }
        if in_hand {
            // In hand, the hints stay, and the explanation is as long as there is room.
            let (all, some) = if self.hand_keys {
                (
                    "the keys beside the controls; . chooses one, space presses it, + - move it; the mouse works too",
                    "the keys beside the controls; . space + -",
                )
            } else {
                (
                    "1 2 3 … press its buttons; . chooses a control, space presses it, + - move it",
                    "1 2 3 … press its buttons; . space + -",
                )
            };
            let (long, short) = (format!("in hand: {all}"), format!("in hand: {some}"));
            let room = (area.right() - x).saturating_sub(keys.iter().map(width).sum::<u16>() + 2);
            let words = fitting(&[&long, &short, "in hand", ""], usize::from(room));
            x = self.text(x, area.y, room, self.theme.doubt, words) + if words.is_empty() { 0 } else { 2 };
        }
        for key in &keys {
            let from = x;
            let words = words_of(key);
            x = self.text(x, area.y, 10, self.theme.key, key.label) + 1;
            x = self.text(x, area.y, 40, self.theme.quiet, words);
            self.clicks.push((Rect { x: from, y: area.y, width: x - from, height: 1 }, Click::Key(key.intent)));
            x += 2;
        }
        if let Some(message) = message {
            let (style, sign, text) = match message {
                Message::Done(text) => (self.theme.live, '✓', text),
                Message::Attention(text) => (self.theme.doubt, '▲', text),
            };
            self.text(area.x + 1, area.y.saturating_sub(1), area.width - 2, style, &format!("{sign} {text}"));
        }
    }

    /// The pad's name for a target.
    pub fn name_of(&self, target: Target) -> String {
        let row = self.slot_detail().and_then(|slot| slot.bindings.iter().find(|row| row.target == target));
        row.map_or_else(|| target.name().to_owned(), |row| row.name.clone())
    }

    /// The detail of a slot.
    pub fn slot_detail(&self) -> Option<&'a SlotDetail> {
        match &self.snapshot.detail {
            Detail::Slot(slot) => Some(slot),
            _ => None,
        }
    }

    /// The details of devices.
    pub fn device_details(&self) -> &'a [DeviceDetail] {
        self.snapshot.detail.devices()
    }
}

/// Bars from empty to full.
pub const BARS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];

/// Tenths of a second as seconds.
pub fn seconds(tenths: u16) -> String {
    format!("{}.{} s", tenths / 10, tenths % 10)
}

/// What a stage is about, in a few words.
pub fn about(stage: Stage) -> &'static str {
    match stage {
        Stage::Device => "what is plugged in, and whether it can be read",
        Stage::Reports => "the bytes as they arrive",
        Stage::Controls => "every control with its number and value",
        Stage::Bindings => "what does what",
        Stage::Feel => "dead zones and curves",
        Stage::Pad => "what the pad sends",
        Stage::Games => "what a game sees, and who has it open",
    }
}

/// Draws a stage's panel.
pub fn draw(ui: &mut Ui<'_>, area: Rect, stage: Stage, in_hand: bool) {
    if area.height == 0 || area.width < 20 {
        return;
    }
    if ui.snapshot.detail == Detail::None || !ui.fresh {
        return;
    }
    if ui.slot_detail().is_none() && stage > Stage::Controls && stage != Stage::Games {
        ui.text(area.x, area.y, area.width, ui.theme.quiet, "This device has no slot yet: p places it.");
        return;
    }
    let slot = ui.slot_detail().map(|slot| slot.number);
    match stage {
        Stage::Device => device::draw(ui, area, in_hand),
        Stage::Reports => reports::draw(ui, area),
        Stage::Controls => match ui.snapshot.calibration.as_ref().filter(|_| ui.calibrating) {
            Some(view) => calibration::draw(ui, area, view),
            None => controls::draw_scrolled(ui, area, in_hand),
        },
        Stage::Bindings => match ui.snapshot.roll_call.as_ref().filter(|view| Some(view.slot) == slot) {
            Some(view) => rollcall::draw(ui, area, view),
            None => bindings::draw(ui, area, ui.target),
        },
        Stage::Feel => feel::draw(ui, area),
        Stage::Pad => pad::draw(ui, area, in_hand),
        Stage::Games => games::draw(ui, area),
    }
}

/// How a device stands towards games, with the word explained.
pub fn explained(cover: &str) -> String {
    let means = match cover {
        "covered" => "games do not find it",
        "held" => "games list it but get nothing",
        "bare" => "games see it as it is",
        "bare, not coverable" => "games see it",
        "left to the game" => "you chose that",
        _ => return cover.to_owned(),
    };
    format!("{cover}: {means}")
}
