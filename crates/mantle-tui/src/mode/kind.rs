//! The choice of a kind of pad, and of what it has: with the place of a device, or for a slot that plays already.

use super::{Mode, sheet};
use crate::app::App;
use crate::intents::KindKey;
use crate::keys::{Intent, Key, key, letter};
use crate::panel::Ui;
use crate::rows::{Row, Then};
use mantle_talk::{Command, FLIGHT_AXES, FlightShape, HATS, PadKind, SlotNumber};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// A slot's kind of pad, half chosen.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct KindChoice {
    /// The slot.
    pub slot: SlotNumber,
    /// The kind so far.
    pub kind: PadKind,
    /// The flight stick that has room for everything that its devices have.
    pub flight: FlightShape,
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        letter('k', "k", Intent::Kind(KindKey::Next), "another kind", true),
        letter('K', "K", Intent::Kind(KindKey::Next), "another kind", false),
        letter('+', "+", Intent::Kind(KindKey::More), "a button more (flight stick)", false),
        letter('-', "-", Intent::Kind(KindKey::Fewer), "a button less", false),
        letter('h', "h", Intent::Kind(KindKey::Hats), "hats", false),
        letter('x', "x", Intent::Kind(KindKey::Axes), "axes", false),
        key(KeyCode::Enter, "Enter", Intent::Open, "change it", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "leave it as it is", true),
    ]
}

/// Another kind, or another shape of a flight stick.
pub(super) fn stepped(kind: PadKind, flight: FlightShape, key: KindKey) -> PadKind {
    let PadKind::Flight(FlightShape { axes, buttons, hats }) = kind else {
        return match (kind, key) {
            (PadKind::Keys, KindKey::Next) => PadKind::Common,
            (_, KindKey::Next) => PadKind::Flight(flight),
            _ => kind,
        };
    };
    // What the device has, one stick, a stick with a twist and a throttle, and all of them.
    let all = [flight.axes, 0b11, FlightShape::USUAL.axes, (1 << FLIGHT_AXES.len()) - 1];
    let next = all.iter().position(|own| *own == axes).map_or(0, |at| at + 1);
    let (axes, buttons, hats) = match key {
        KindKey::Next => return PadKind::Keys,
        KindKey::More => (axes, buttons + 1, hats),
        KindKey::Fewer => (axes, buttons.saturating_sub(1), hats),
        KindKey::Hats => (axes, buttons, (hats + 1) % (HATS + 1)),
        KindKey::Axes => (all[next % all.len()], buttons, hats),
    };
    PadKind::Flight(FlightShape::new(axes, buttons, hats))
}

/// What a pad of this kind has, and how that is changed.
pub(super) fn shape_words(kind: PadKind) -> String {
    match kind {
        PadKind::Common => "k: a flight stick, or keys alone".to_owned(),
        PadKind::Keys => "no pad is made: keys and the mouse".to_owned(),
        PadKind::Flight(shape) => {
            let axes = match shape.axis_names().count() {
                many @ 7.. => format!("{many} axes"),
                _ => shape.axis_names().collect::<Vec<_>>().join(" "),
            };
            format!("{axes}, {} buttons, {} hats", shape.buttons, shape.hats)
        }
    }
}

/// The kind, and what of it can be chosen: three lines.
pub(super) fn lines(ui: &mut Ui<'_>, at: Rect, kind: PadKind) {
    let beside = at.width.saturating_sub(10);
    ui.text(at.x, at.y, 9, ui.theme.quiet, "kind");
    ui.text(at.x + 10, at.y, beside, Style::new(), kind.name());
    ui.text(at.x + 10, at.y + 1, beside, ui.theme.quiet, &shape_words(kind));
    if let PadKind::Flight(_) = kind {
        ui.text(at.x + 10, at.y + 2, beside, ui.theme.quiet, "x other axes   + - buttons   h hats");
    }
}

impl KindChoice {
    pub(super) fn handle(mut self, app: &mut App, intent: Intent) {
        match intent {
            Intent::Open => {
                let Self { slot, kind, .. } = self;
                return app.command(Command::Kind { slot, kind }, Then::Nothing);
            }
            Intent::Kind(key) => self.kind = stepped(self.kind, self.flight, key),
            _ => {}
        }
        app.mode = Mode::Kind(self);
    }
}

impl App {
    /// Another kind of pad is chosen for the seen slot.
    pub(crate) fn begin_kind(&mut self) {
        let row = match self.row {
            Some(Row::Slot(slot)) => self.snapshot.slots.iter().find(|row| row.number == slot),
            _ => None,
        };
        let Some((slot, kind)) = row.map(|row| (row.number, row.kind)) else {
            self.message = Some("a slot has a kind of pad: place the device first (p)".into());
            return;
        };
        let flight = self.device().map_or(FlightShape::USUAL, |device| device.flight);
        self.mode = Mode::Kind(KindChoice { slot, kind, flight });
    }
}

/// Draws the choice.
pub fn draw(ui: &mut Ui<'_>, area: Rect, choice: &KindChoice) {
    let row = ui.snapshot.slots.iter().find(|row| row.number == choice.slot);
    let at = sheet(ui, area, 64, 13, &format!("What {} is to games", choice.slot));
    let now = row.map_or(PadKind::Common, |row| row.kind);
    ui.text(at.x, at.y, 9, ui.theme.quiet, "now");
    let what = match now {
        PadKind::Flight(_) => format!("{}: {}", now.name(), shape_words(now)),
        _ => now.name().to_owned(),
    };
    ui.text(at.x + 10, at.y, at.width.saturating_sub(10), Style::new(), &what);
    lines(ui, Rect { y: at.y + 2, ..at }, choice.kind);
    let words = match row {
        _ if now == choice.kind => ["That is what it is now.", ""],
        Some(row) if now != PadKind::Keys && row.games[0] != "no pad" => {
            ["Games that run see the pad go and another one come:", "most have to be told of it, or started again."]
        }
        _ => ["Games that run see another pad come.", ""],
    };
    for (line, text) in words.iter().enumerate() {
        ui.text(at.x, at.y + 6 + line as u16, at.width, ui.theme.doubt, text);
    }
    let lost = "What the profile says that such a pad has not stays in its file.";
    ui.text(at.x, at.y + 8, at.width, ui.theme.quiet, lost);
}
