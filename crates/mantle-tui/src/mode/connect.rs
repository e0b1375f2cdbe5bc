//! The Connect view: what has turned up, what the radio finds, and one device being connected step by step.
//!
//! ```text
//!  ── Connect a device ──────────────────────────────────────
//!  Plug it in, switch it on, or have it look for a computer: whatever turns up ends the search.
//!  radio     it is on and looks for devices
//!
//!  ▸ Lantern left      controller          new, near
//!    Heron pad         controller          known, not heard now, seen 3 days ago
//!
//!    pair      hold its rail button, then pair it
//! ```

use super::sheet;
use super::typing::{edit, paste};
use crate::keys::{ConnectKey, Intent, Key, key, letter};
use crate::panel::Ui;
use crate::rows::Click;
use mantle_talk::{
    CameView, ConnectView, DeviceId, Dialogue, JourneyStep, JourneyView, RadioDevice, RadioRow, RadioState, Snapshot,
    USUAL_WAYS, as_sentence,
};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;
use tui_input::Input;

/// The column of values behind labels.
const LABEL: u16 = 11;

/// What is chosen.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum FoundRow {
    /// A device that has turned up.
    Came(DeviceId, u8),
    /// A device that the radio found, by address.
    Radio(String),
}

/// A question or a line that is open.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub enum Ask {
    /// None.
    #[default]
    Nothing,
    /// Whether to forget the device with this address.
    Forget(String),
    /// A name for the device with this address.
    Name(String),
    /// The code of the device being paired.
    Code,
}

/// The state of the Connect view.
#[derive(Clone, Debug, Default)]
pub struct Connecting {
    /// The chosen entry; until somebody chooses, the first.
    chosen: Option<FoundRow>,
    /// The open question.
    pub ask: Ask,
    input: Input,
}

impl Connecting {
    /// The entries, in order.
    fn rows(view: &ConnectView) -> Vec<FoundRow> {
        let came = view.came.iter().map(|came| FoundRow::Came(came.device.0, came.device.1));
        came.chain(view.rows.iter().map(|row| FoundRow::Radio(row.device.address.clone()))).collect()
    }

    /// The chosen entry.
    pub fn chosen(&self, view: &ConnectView) -> Option<FoundRow> {
        let rows = Self::rows(view);
        self.chosen.clone().filter(|row| rows.contains(row)).or_else(|| rows.into_iter().next())
    }

    /// What the radio knows of the chosen entry.
    pub fn chosen_radio<'a>(&self, view: &'a ConnectView) -> Option<&'a RadioDevice> {
        match self.chosen(view)? {
            FoundRow::Came(device, part) => view.came.iter().find(|came| came.device == (device, part))?.radio.as_ref(),
            FoundRow::Radio(address) => named(view, &address),
        }
    }

    /// Moves the choice.
    pub fn step(&mut self, view: &ConnectView, down: bool) {
        let rows = Self::rows(view);
        let at = self.chosen(view).and_then(|row| rows.iter().position(|own| *own == row)).unwrap_or(0);
        // The list wraps around.
        let all = rows.len().max(1);
        let next = if down { at + 1 } else { at + all - 1 } % all;
        self.chosen = rows.get(next).cloned();
    }

    /// Chooses this entry.
    pub fn choose(&mut self, view: &ConnectView, at: usize) {
        self.chosen = Self::rows(view).get(at).cloned();
    }

    /// Opens a line that begins with this text.
    pub fn type_from(&mut self, ask: Ask, text: &str) {
        (self.ask, self.input) = (ask, Input::new(text.to_owned()));
    }

    /// The typed text.
    pub fn typed(&self) -> &str {
        self.input.value().trim()
    }

    /// Whether a line is open.
    pub fn types(&self) -> bool {
        matches!(self.ask, Ask::Code | Ask::Name(_))
    }

    /// Handles a key that only edits the line.
    pub fn handle_key(&mut self, code: KeyCode) {
        edit(&mut self.input, code);
    }

    /// Pastes text.
    pub fn paste(&mut self, text: &str) {
        paste(&mut self.input, text);
    }

    /// Follows the engine: the code line stays open while a code is asked for.
    pub fn see(&mut self, snapshot: &Snapshot) {
        let asked = snapshot.connecting.as_ref().and_then(|view| Some(&view.journey.as_ref()?.step));
        let wants = matches!(asked, Some(JourneyStep::Pairing(Some(Dialogue::EnterCode | Dialogue::EnterPin))));
        match (&self.ask, wants) {
            (Ask::Code, false) => self.ask = Ask::Nothing,
            (Ask::Nothing | Ask::Forget(_), true) => self.type_from(Ask::Code, ""),
            _ => {}
        }
    }
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    let own = |c, label, wanted, words, hint| letter(c, label, Intent::Connecting(wanted), words, hint);
    vec![
        key(KeyCode::Up, "↑", Intent::Up, "up", false),
        key(KeyCode::Down, "↓", Intent::Down, "down", false),
        key(KeyCode::Enter, "Enter", Intent::Open, "connect, continue", true),
        own('a', "a", ConnectKey::Anew, "remove, pair again", true),
        own('n', "n", ConnectKey::Rename, "rename", true),
        key(KeyCode::Delete, "Del", Intent::Connecting(ConnectKey::Forget), "forget", true),
        own('d', "d", ConnectKey::Drop, "disconnect", true),
        own('o', "o", ConnectKey::SwitchOn, "switch the radio on", true),
        own('s', "s", ConnectKey::LookOn, "search again", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "stop, back", true),
        own('+', "+", ConnectKey::Close, "close; it continues", true),
        own('q', "q", ConnectKey::Close, "close", false),
    ]
}

/// The keys while a line is open.
pub fn typing_keys() -> Vec<Key> {
    vec![
        key(KeyCode::Enter, "Enter", Intent::Open, "yes", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "cancel", true),
    ]
}

/// Draws the view.
pub fn draw(ui: &mut Ui<'_>, area: Rect, connecting: &Connecting) {
    let at = sheet(ui, area, area.width.saturating_sub(4).min(112), area.height.min(30), "Connect a device");
    let snapshot = ui.snapshot;
    let Some(view) = snapshot.connecting.as_deref() else {
        ui.text(at.x, at.y, at.width, ui.theme.quiet, "Checking this computer's radio.");
        return;
    };
    let mut page = Page { ui, at, y: at.y };
    match (&connecting.ask, &view.journey) {
        (Ask::Forget(address), _) => page.forget(view, address),
        (Ask::Name(address), _) => page.name(view, address, connecting),
        (_, Some(journey)) => page.journey(journey, view, connecting),
        (_, None) => page.list(view, connecting),
    }
}

/// Where the next line goes.
struct Page<'a, 'b> {
    ui: &'a mut Ui<'b>,
    at: Rect,
    y: u16,
}

impl Page<'_, '_> {
    fn left(&self) -> u16 {
        self.at.bottom().saturating_sub(self.y)
    }

    /// Writes text in as many lines as it needs.
    fn say(&mut self, indent: u16, style: Style, text: &str) {
        if self.left() > 0 {
            let at = Rect { x: self.at.x + indent, y: self.y, width: self.at.width - indent, height: self.left() };
            self.y += self.ui.wrapped(at, style, text);
        }
    }

    fn pair(&mut self, label: &str, style: Style, text: &str) {
        if self.left() > 0 {
            self.ui.text(self.at.x + 2, self.y, LABEL - 1, self.ui.theme.quiet, label);
            self.say(2 + LABEL, style, text);
        }
    }

    /// What mends the radio, or that it is searching.
    fn radio(&mut self, view: &ConnectView) {
        let theme = self.ui.theme;
        let (sign, style) = match view.state {
            RadioState::Ready => ("●", theme.live),
            RadioState::Unknown => ("○", theme.quiet),
            _ => ("▲", theme.doubt),
        };
        self.ui.text(self.at.x, self.y, 1, style, sign);
        let looks = match (&view.state, view.looks) {
            (RadioState::Ready, true) => "This computer's radio is on and searching.",
            (RadioState::Ready, false) => "This computer's radio is on. It has stopped searching (s: search again).",
            (state, _) => state.sentence(),
        };
        self.say(2, Style::new(), looks);
        if !view.state.remedy().is_empty() {
            let mends = if view.state.mend().is_some() { " (o)" } else { "" };
            self.say(2, theme.key, &format!("{}{mends}", view.state.remedy()));
        }
    }

    fn list(&mut self, view: &ConnectView, connecting: &Connecting) {
        let theme = self.ui.theme;
        self.say(
            0,
            theme.strong,
            "Plug it in, switch it on, or put it in pairing mode: it appears here and the search ends.",
        );
        self.radio(view);
        self.y += 1;
        let rows = view.came.len() + view.rows.len();
        let chosen = connecting.chosen(view);
        let hints = self.hints_of(view, chosen.as_ref());
        let wrapped = |text: &str| crate::widths::wrap(text, usize::from(self.at.width - 2 - LABEL)).len() as u16;
        let below = 1 + hints.iter().map(|(_, text)| wrapped(text)).sum::<u16>();
        let room = usize::from(self.left().saturating_sub(below).max(3));
        let at = Connecting::rows(view).iter().position(|row| Some(row) == chosen.as_ref()).unwrap_or(0);
        let first = at.saturating_sub(room.saturating_sub(2)).min(rows.saturating_sub(room));
        for index in (first..rows).take(room) {
            if index + 1 < rows && index + 1 == first + room {
                let more = rows - index + view.more;
                self.say(2, theme.quiet, &format!("{more} more below"));
                break;
            }
            match index.checked_sub(view.came.len()) {
                None => self.came(index, &view.came[index], index == at),
                Some(radio) => self.found(index, &view.rows[radio], index == at),
            }
        }
        if rows == 0 {
            self.say(2, theme.quiet, "Nothing has been found yet.");
        }
        self.y += 1;
        for (label, text) in hints {
            self.pair(&label, Style::new(), &text);
        }
    }

    /// Details of the chosen entry; without one, the usual ways to connect.
    fn hints_of(&self, view: &ConnectView, chosen: Option<&FoundRow>) -> Vec<(String, String)> {
        let said: Vec<(String, String)> = match chosen {
            Some(FoundRow::Came(device, part)) => {
                let came = view.came.iter().find(|came| came.device == (*device, *part));
                came.into_iter()
                    .flat_map(|came| &came.notes)
                    .map(|note| ("note".to_owned(), as_sentence(note)))
                    .collect()
            }
            Some(FoundRow::Radio(address)) => {
                let row = view.rows.iter().find(|row| row.device.address == *address);
                row.map(known).into_iter().flatten().chain(row.into_iter().flat_map(|row| row.hints.clone())).collect()
            }
            None => Vec::new(),
        };
        match said.is_empty() && !matches!(chosen, Some(FoundRow::Came(..))) {
            true => USUAL_WAYS
                .iter()
                .zip(["how", "", "", ""])
                .map(|(way, label)| (label.to_owned(), (*way).to_owned()))
                .collect(),
            false => said,
        }
    }

    fn row(&mut self, index: usize, chosen: bool, cells: [(&str, Style); 3]) {
        let (x, width) = (self.at.x, self.at.width);
        let (second, third) = (x + 2 + (width - 2) * 3 / 10, x + 2 + (width - 2) / 2);
        if chosen {
            self.ui.text(x, self.y, 1, self.ui.theme.key, "▸");
        }
        for ((text, style), (from, to)) in cells.into_iter().zip([(x + 2, second), (second, third), (third, x + width)])
        {
            self.ui.text(from, self.y, to - from - 1, style, text);
        }
        self.ui.clicks.push((Rect { x, y: self.y, width, height: 1 }, Click::Found(index)));
        self.y += 1;
    }

    fn came(&mut self, index: usize, came: &CameView, chosen: bool) {
        let theme = self.ui.theme;
        let stands = match (came.speaks, came.slot) {
            (_, Some(slot)) => format!("✓ there, {slot}"),
            (true, None) => "✓ there".into(),
            (false, None) => "✓ there: press something".into(),
        };
        let name = if chosen { theme.chosen } else { theme.strong };
        self.row(index, chosen, [(&came.name, name), (&came.way, theme.quiet), (&stands, theme.live)]);
    }

    fn found(&mut self, index: usize, row: &RadioRow, chosen: bool) {
        let theme = self.ui.theme;
        let device = &row.device;
        let stands = device.stands();
        let name = if chosen { theme.chosen } else { Style::new() };
        let style = if device.linked { theme.live } else { theme.quiet };
        self.row(index, chosen, [(&device.name, name), (device.kind().words(), theme.quiet), (&stands, style)]);
    }

    fn journey(&mut self, journey: &JourneyView, view: &ConnectView, connecting: &Connecting) {
        let theme = self.ui.theme;
        self.say(0, theme.strong, &journey.name);
        self.y += 1;
        self.steps(&journey.step);
        self.y += 1;
        if let JourneyStep::Pairing(Some(asked)) = &journey.step {
            self.code(asked, connecting);
        }
        let (sign, style) = match &journey.step {
            JourneyStep::There(_) => ("✓", theme.live),
            JourneyStep::Failed(_) => ("▲", theme.doubt),
            _ => ("▸", theme.key),
        };
        self.ui.text(self.at.x, self.y, 1, style, sign);
        self.say(2, Style::new(), &journey.sentence);
        if let Some(left) = journey.left {
            self.say(2, theme.quiet, &format!("{left} s left"));
        }
        self.y += 1;
        match &journey.step {
            JourneyStep::There(_) => {
                let came = view.came.iter().find(|came| Some(came.device) == journey.device);
                for note in came.into_iter().flat_map(|came| &came.notes) {
                    self.pair("note", Style::new(), &as_sentence(note));
                }
                self.y += 1;
                self.act("Enter", "place it");
            }
            JourneyStep::Failed(fault) => {
                if fault.wants_anew() {
                    self.act("a", "remove it here and pair it again");
                }
                self.act("Enter", "try again");
                self.act("Esc", "back to what was found");
                let row = view.rows.iter().find(|row| row.device.address == journey.address);
                self.y += 1;
                for (label, text) in row.into_iter().flat_map(|row| row.hints.clone()) {
                    self.pair(&label, Style::new(), &text);
                }
            }
            JourneyStep::Pairing(Some(Dialogue::Compare(_) | Dialogue::Allow)) => {
                self.act("Enter", "yes");
                self.act("Esc", "no");
            }
            JourneyStep::Pairing(Some(Dialogue::EnterCode | Dialogue::EnterPin)) => self.act("Enter", "send it"),
            _ => self.act("Esc", "stop"),
        }
    }

    /// A key, and what it does here.
    fn act(&mut self, key: &str, words: &str) {
        if self.left() == 0 {
            return;
        }
        let theme = self.ui.theme;
        let end = self.ui.text(self.at.x + 2, self.y, LABEL, theme.key, key);
        self.ui.text(end + 1, self.y, self.at.width.saturating_sub(end + 1 - self.at.x), Style::new(), words);
        let found = keys().into_iter().find(|own| own.label == key);
        let area = Rect { x: self.at.x + 2, y: self.y, width: self.at.width - 2, height: 1 };
        self.ui.clicks.extend(found.map(|own| (area, Click::Key(own.intent))));
        self.y += 1;
    }

    /// The way in short: what is done, what is going on, what comes next.
    fn steps(&mut self, step: &JourneyStep) {
        let theme = self.ui.theme;
        let now = match step {
            JourneyStep::Removing | JourneyStep::Pairing(_) => 0,
            JourneyStep::Trusting => 1,
            JourneyStep::Linking | JourneyStep::Calling | JourneyStep::Dropping => 2,
            JourneyStep::Awaiting => 3,
            JourneyStep::There(_) => 4,
            JourneyStep::Failed(_) => 5,
        };
        let mut x = self.at.x + 2;
        for (at, name) in ["pair", "trust", "link", "input device"].into_iter().enumerate() {
            let (sign, style) = match at.cmp(&now) {
                _ if now == 5 => ("·", theme.quiet),
                std::cmp::Ordering::Less => ("✓", theme.live),
                std::cmp::Ordering::Equal => ("▸", theme.key),
                std::cmp::Ordering::Greater => ("·", theme.quiet),
            };
            x = self.ui.text(x, self.y, 2, style, sign) + 1;
            x = self.ui.text(x, self.y, 14, if at == now { theme.strong } else { theme.quiet }, name) + 3;
        }
        self.y += 1;
    }

    /// A code in large digits, or the line on which one is typed.
    fn code(&mut self, asked: &Dialogue, connecting: &Connecting) {
        let (code, typed) = match asked {
            Dialogue::Type { code, typed } => (code.clone(), usize::from(*typed)),
            Dialogue::Compare(code) => (code.clone(), 0),
            Dialogue::EnterCode | Dialogue::EnterPin => {
                let text = connecting.input.value();
                let end =
                    self.ui.text(self.at.x + 6, self.y + 1, self.at.width - 8, self.ui.theme.strong, &spaced(text));
                let cursor = if text.is_empty() { end } else { end + 1 };
                self.ui.cursor(cursor, self.y + 1);
                self.ui.text(self.at.x + 4, self.y + 1, 1, self.ui.theme.key, "▸");
                self.y += 3;
                return;
            }
            Dialogue::Allow => return,
        };
        let theme = self.ui.theme;
        let text = spaced(&code);
        let width = text.chars().count() as u16 + 6;
        let line = "─".repeat(usize::from(width));
        self.ui.text(self.at.x + 4, self.y, width, theme.line, &line);
        self.ui.text(self.at.x + 7, self.y + 1, width, theme.strong, &text);
        self.ui.text(self.at.x + 4, self.y + 2, width, theme.line, &line);
        if typed > 0 {
            let words = format!("{typed} of {} typed", code.chars().count());
            self.ui.text(self.at.x + 6 + width, self.y + 1, 24, theme.quiet, &words);
        }
        self.y += 4;
    }

    fn forget(&mut self, view: &ConnectView, address: &str) {
        let name = named(view, address).map_or(address, |device| &device.name);
        self.say(0, self.ui.theme.strong, &format!("Forget {name}?"));
        self.say(0, Style::new(), "Its keys are deleted here, so it has to be paired again before it plays by radio. Its slot, profile and calibration are kept, and its name returns when it is paired again.");
        self.y += 1;
        self.act("Enter", "forget it");
        self.act("Esc", "keep it");
    }

    fn name(&mut self, view: &ConnectView, address: &str, connecting: &Connecting) {
        let name = named(view, address).map_or(address, |device| &device.name);
        self.say(0, self.ui.theme.strong, &format!("A new name for {name}"));
        self.say(0, self.ui.theme.quiet, "1 to 40 letters; every program on this computer sees the name.");
        self.y += 1;
        self.ui.text(self.at.x + 2, self.y, 1, self.ui.theme.key, "▸");
        let end = self.ui.text(self.at.x + 4, self.y, self.at.width - 6, Style::new(), connecting.input.value());
        self.ui.cursor(end, self.y);
    }
}

/// The radio's device with this address.
fn named<'a>(view: &'a ConnectView, address: &str) -> Option<&'a RadioDevice> {
    let came = view.came.iter().filter_map(|came| came.radio.as_ref());
    came.chain(view.rows.iter().map(|row| &row.device)).find(|device| device.address == address)
}

/// Other facts about a device: battery, last seen.
fn known(row: &RadioRow) -> Option<(String, String)> {
    let battery = row.device.battery.map(|percent| format!("battery {percent} %"));
    let seen = row.seen.as_ref().filter(|_| !row.device.linked).map(|seen| format!("seen {seen}"));
    let said: Vec<String> = battery.into_iter().chain(seen).collect();
    (!said.is_empty()).then(|| ("known".to_owned(), said.join(", ")))
}

/// Puts a blank between each two digits.
fn spaced(code: &str) -> String {
    code.chars().flat_map(|c| [' ', c]).skip(1).collect()
}
