//! A line being typed: its purpose, its text, and the offers that complete it.

use super::sheet;
use crate::keys::{Intent, Key, key};
use crate::listed::{face_of, list_lines};
use crate::mode::Choose;
use crate::offer::{Offer, narrowed, narrowed_paths};
use crate::panel::Ui;
use crate::rows::Click;
use mantle_talk::{DeviceId, FACE, SlotNumber, Target, TargetBlock};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;
use tui_input::{Input, InputRequest};

/// The purpose of a line.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum TypedFor {
    /// Open a recording.
    Recording,
    /// Choose the source of a target.
    Source(SlotNumber, Target),
    /// Choose the sources of four targets at once.
    Block(SlotNumber, TargetBlock),
    /// Bind many targets from a written list of numbers.
    List(SlotNumber),
    /// Say where the controls of the device sit.
    Face(SlotNumber),
    /// Name what a target does.
    Action(SlotNumber, Target),
    /// Choose a key or mouse action.
    KeyTarget(SlotNumber),
    /// Name a new layer.
    Layer(SlotNumber),
    /// Rename the slot's profile.
    Profile(SlotNumber),
    /// Choose the purpose of a new profile.
    NewProfile(SlotNumber),
    /// Choose one of all possible commands.
    Order,
    /// Find a control of the pad.
    Find,
    /// Find a profile.
    FindProfile,
    /// Choose the profile of a device being placed.
    PlaceProfile(Box<Choose>),
    /// Nickname a device.
    Nickname(DeviceId),
    /// Rename the chosen profile.
    RenameProfile,
    /// Import a profile.
    ImportProfile,
    /// Export the chosen profile.
    ExportProfile,
    /// Set the chosen setting of the feel.
    Knob,
    /// Set the named option of a binding.
    Option(SlotNumber, &'static str),
}

/// At most this many rows of offers.
const ROWS: u16 = 14;

/// A line being typed.
#[derive(Clone, Debug)]
pub struct Typing {
    /// Its purpose.
    pub what: TypedFor,
    input: Input,
    /// Whether its text was there from the start: the first letter replaces it, any other key edits it.
    fresh: bool,
    /// The offers.
    pub offers: Vec<Offer>,
    /// Index of the chosen offer among those that fit.
    chosen: usize,
    /// Whether the offer was chosen by hand.
    picked: bool,
    /// Whether the list of numbers counts from 0.
    pub from_zero: bool,
}

impl Typing {
    /// An empty line with these offers.
    #[must_use]
    pub fn new(what: TypedFor, offers: Vec<Offer>) -> Self {
        Self { what, input: Input::default(), fresh: false, offers, chosen: 0, picked: false, from_zero: false }
    }

    /// The same line, beginning with existing text.
    #[must_use]
    pub fn beginning_with(self, text: &str) -> Self {
        Self { input: Input::new(text.to_owned()), fresh: !text.is_empty(), ..self }
    }

    /// The same line after it was refused: the first letter replaces its text, any other key edits it.
    #[must_use]
    pub fn standing(self) -> Self {
        Self { fresh: true, ..self }
    }

    /// The typed text, trimmed.
    #[must_use]
    pub fn text(&self) -> &str {
        self.input.value().trim()
    }

    /// Whether only an offer will do; then the best match is chosen automatically.
    fn only_offers(&self) -> bool {
        use TypedFor::{Block, Find, FindProfile, KeyTarget, NewProfile, Order, PlaceProfile, Source};
        matches!(
            self.what,
            Source(..) | Block(..) | KeyTarget(_) | NewProfile(_) | Find | FindProfile | Order | PlaceProfile(_)
        )
    }

    /// The offers that fit the text, including text that was there from the start. Enter never takes any other.
    fn fitting(&self) -> Vec<usize> {
        // Action names are only completed, in this order.
        if self.completes() {
            return (0..self.offers.len()).collect();
        }
        let whole_path = matches!(self.what, TypedFor::Recording | TypedFor::ImportProfile | TypedFor::ExportProfile);
        // The last part of a path narrows the list; the directories before it are already chosen.
        match self.text().rsplit('/').next() {
            Some(typed) if whole_path => narrowed_paths(&self.offers, typed),
            _ => narrowed(&self.offers, self.text()),
        }
    }

    /// The offer that Enter would take, if any.
    #[must_use]
    pub fn offer(&self) -> Option<&Offer> {
        let fitting = self.fitting();
        let at = *fitting.get(self.chosen.min(fitting.len().saturating_sub(1)))?;
        // An action name is completed, but never replaced by Enter if it is already whole.
        let completes = self.completes() && !self.fresh && !self.text().is_empty();
        (self.picked || self.only_offers() || completes).then(|| &self.offers[at])
    }

    /// Whether the set of offers depends on the text, rather than only being narrowed by it.
    #[must_use]
    pub fn completes(&self) -> bool {
        matches!(self.what, TypedFor::Action(..))
    }

    /// Moves up or down the list.
    pub fn step(&mut self, down: bool) {
        let count = self.fitting().len();
        if count == 0 {
            return;
        }
        let first = !self.picked && !self.only_offers();
        self.picked = true;
        self.chosen = match (first, down) {
            (true, true) => 0,
            (true, false) => count - 1,
            (false, true) => (self.chosen + 1) % count,
            (false, false) => (self.chosen.min(count) + count - 1) % count,
        };
    }

    /// Chooses the offer at this index. Returns whether it was chosen already.
    pub fn choose(&mut self, at: usize) -> bool {
        let again = self.chosen == at && self.offer().is_some();
        (self.chosen, self.picked) = (at, true);
        again
    }

    /// Puts the chosen text into the line, with new offers.
    pub fn goes_on(&mut self, text: String, offers: Vec<Offer>) {
        self.input = Input::new(text);
        (self.offers, self.chosen, self.picked, self.fresh) = (offers, 0, false, false);
    }

    /// The directory part of a typed path; none if no path is typed.
    #[must_use]
    pub fn directory(&self) -> &str {
        self.input.value().rfind('/').map_or("", |at| &self.input.value()[..=at])
    }

    /// Handles a key that only edits the line.
    pub fn handle_key(&mut self, code: KeyCode) {
        if std::mem::take(&mut self.fresh) && matches!(code, KeyCode::Char(_)) {
            self.input = Input::default();
        }
        edit(&mut self.input, code);
        (self.chosen, self.picked) = (0, false);
    }

    /// Pastes text.
    pub fn paste(&mut self, text: &str) {
        if std::mem::take(&mut self.fresh) {
            self.input = Input::default();
        }
        paste(&mut self.input, text);
        (self.chosen, self.picked) = (0, false);
    }

    fn title(&self, ui: &Ui<'_>) -> String {
        match &self.what {
            TypedFor::Recording => "Open a recording".into(),
            TypedFor::Source(_, target) => format!("What should play {}?", ui.name_of(*target)),
            TypedFor::Block(_, block) => format!("What should play {}?", block.name),
            TypedFor::List(_) => "Type a list of numbers".into(),
            TypedFor::Face(_) => "Where do the controls sit?".into(),
            TypedFor::KeyTarget(_) => "Which key should it press?".into(),
            TypedFor::Layer(_) => "A new layer".into(),
            TypedFor::Profile(_) | TypedFor::RenameProfile => "Rename the profile".into(),
            TypedFor::NewProfile(_) => "A new profile".into(),
            TypedFor::Order => "What do you want to do?".into(),
            TypedFor::Find => "Find a control of the pad".into(),
            TypedFor::FindProfile => "Find a profile".into(),
            TypedFor::PlaceProfile(_) => "Which profile?".into(),
            TypedFor::Nickname(_) => "A nickname for the device".into(),
            TypedFor::ImportProfile => "Import a profile".into(),
            TypedFor::ExportProfile => "Export the profile".into(),
            TypedFor::Knob => format!("Type a value: {}", ui.knob.name()),
            TypedFor::Option(_, name) => format!("Type a value: {name}"),
            TypedFor::Action(_, target) => format!("What does {} do in the game?", ui.name_of(*target)),
        }
    }

    fn hints(&self) -> [&'static str; 2] {
        match self.what {
            TypedFor::Recording => [
                "Choose a file, or type its path.",
                "It plays over and over as a device of its own until you close it.",
            ],
            TypedFor::Source(..) => [
                "Choose a control, or type: 14, axis 4, hat up, Z upper half.",
                "An upper half is right or down; a lower half is left or up.",
            ],
            TypedFor::Block(..) => [
                "Choose what moves it: two axes, a hat, keys, or four buttons.",
                "All four directions are bound at once.",
            ],
            TypedFor::List(_) => [
                "Type the numbers in the order of the list (2 3 1 4), or name = number.",
                "A dash leaves one out. Tab: buttons count from 0, or from 1.",
            ],
            TypedFor::Face(_) => [
                "Row by row, as you look at the device: 1 2 3 | 4 - 5. A dash is a gap.",
                "The card (X) draws them there. An empty line removes it.",
            ],
            TypedFor::KeyTarget(_) => {
                ["Choose a key, the mouse, or an action of this program.", "Then press the control that should do it."]
            }
            TypedFor::Layer(_) => ["Type a name, such as shift.", "Then press the control that holds it."],
            TypedFor::Nickname(_) => {
                ["Type a name, such as red one. An empty line removes it.", "Every screen shows it."]
            }
            TypedFor::NewProfile(_) => ["Choose what it is for.", "The slot uses it at once."],
            TypedFor::Order => ["Choose one, or type part of its name.", "The key for each stands beside it."],
            TypedFor::Find => ["Type part of its name, or your own name for it.", ""],
            TypedFor::FindProfile | TypedFor::PlaceProfile(_) => ["Type part of its name.", ""],
            TypedFor::ImportProfile => [
                "Choose a file, or type its path; it ends with .profile.toml.",
                "It is copied to your profiles. It types nothing until you allow it.",
            ],
            TypedFor::ExportProfile => {
                ["Choose a directory, or type a file's path.", "Existing files are kept. The ending is added."]
            }
            TypedFor::Profile(_) | TypedFor::RenameProfile => {
                ["Type a name, such as night ferry.", "Slots that use it keep using it."]
            }
            TypedFor::Knob | TypedFor::Option(..) => ["Type a number, with or without its unit.", ""],
            TypedFor::Action(..) => ["Choose a word, or type your own.", "An empty line removes it."],
        }
    }
}

/// Edits a line by a key.
pub(super) fn edit(input: &mut Input, code: KeyCode) {
    let request = match code {
        KeyCode::Char(c) => InputRequest::InsertChar(c),
        KeyCode::Backspace => InputRequest::DeletePrevChar,
        KeyCode::Delete => InputRequest::DeleteNextChar,
        KeyCode::Left => InputRequest::GoToPrevChar,
        KeyCode::Right => InputRequest::GoToNextChar,
        KeyCode::Home => InputRequest::GoToStart,
        KeyCode::End => InputRequest::GoToEnd,
        _ => return,
    };
    input.handle(request);
}

/// Pastes text as one line: line ends and tabs become blanks.
pub(super) fn paste(input: &mut Input, text: &str) {
    const MOST: usize = 4096;
    for c in text.trim().chars().take(MOST) {
        let c = if c.is_control() { ' ' } else { c };
        input.handle(InputRequest::InsertChar(c));
    }
}

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Up, "↑", Intent::Up, "up", false),
        key(KeyCode::Down, "↓", Intent::Down, "down", false),
        key(KeyCode::Tab, "Tab", Intent::CountOtherwise, "count from 0 or 1 (a list of numbers)", false),
        key(KeyCode::Enter, "Enter", Intent::Open, "do it", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "cancel", true),
    ]
}

/// Draws the line with its offers below.
pub fn draw(ui: &mut Ui<'_>, area: Rect, typing: &Typing) {
    let title = typing.title(ui);
    let rows = match typing.what {
        TypedFor::List(_) => ROWS,
        TypedFor::Face(_) => FACE.0 as u16 + 1,
        _ => (typing.offers.len() as u16).min(ROWS),
    };
    let rows = rows.min(area.height.saturating_sub(8));
    let at = sheet(ui, area, 76, 8 + rows, &title);
    let [what, then] = typing.hints();
    ui.text(at.x, at.y, at.width, ui.theme.quiet, what);
    let width = usize::from(at.width.saturating_sub(3));
    let scroll = typing.input.visual_scroll(width);
    let seen: String = typing.input.value().chars().skip(scroll).take(width).collect();
    ui.text(at.x, at.y + 1, 1, ui.theme.key, "▸");
    let style = if typing.fresh { ui.theme.chosen } else { Style::new() };
    ui.text(at.x + 2, at.y + 1, at.width - 2, style, &seen);
    let cursor = at.x + 2 + (typing.input.visual_cursor().saturating_sub(scroll)) as u16;
    ui.cursor(cursor, at.y + 1);
    let below = Rect { y: at.y + 3, height: rows, ..at };
    match typing.what {
        TypedFor::Face(_) => draw_face(ui, below, typing.text()),
        TypedFor::List(_) => draw_list(ui, below, typing),
        _ => draw_offers(ui, below, typing),
    }
    ui.text(at.x, at.y + 3 + rows + u16::from(rows > 0), at.width, ui.theme.quiet, then);
}

fn draw_offers(ui: &mut Ui<'_>, at: Rect, typing: &Typing) {
    let fitting = typing.fitting();
    let taken = typing.offer().is_some();
    let chosen = typing.chosen.min(fitting.len().saturating_sub(1));
    let rows = usize::from(at.height);
    if fitting.is_empty() && rows > 0 && typing.only_offers() {
        ui.text(at.x + 2, at.y, at.width - 2, ui.theme.doubt, "Nothing in the list fits.");
    }
    let first = (chosen + 1).saturating_sub(rows.saturating_sub(1).max(1));
    for (line, place) in fitting.iter().enumerate().skip(first).take(rows) {
        let y = at.y + (line - first) as u16;
        let left = fitting.len() - line;
        if line - first + 1 == rows && left > 1 {
            ui.text(at.x + 2, y, at.width - 2, ui.theme.quiet, &format!("{left} more below"));
            break;
        }
        let offer = &typing.offers[*place];
        let is_chosen = taken && line == chosen;
        let style = if is_chosen { ui.theme.chosen } else { Style::new() };
        ui.text(at.x, y, 1, ui.theme.key, if is_chosen { "▸" } else { " " });
        let end = ui.text(at.x + 2, y, at.width - 2, style, &offer.text);
        let beside = (end + 2).max(at.x + 34).min(at.right());
        ui.text(beside, y, at.right() - beside, ui.theme.quiet, &offer.note);
        ui.clicks.push((Rect { y, height: 1, ..at }, Click::Offer(line)));
    }
}

/// Draws what a list of numbers would do, one line per entry, and which entries cannot be read.
fn draw_list(ui: &mut Ui<'_>, at: Rect, typing: &Typing) {
    let Some(detail) = ui.slot_detail() else { return };
    let (lines, from_zero) = list_lines(detail, typing.text(), typing.from_zero);
    let words = if from_zero { "The buttons count from 0." } else { "The buttons count from 1." };
    ui.text(at.x, at.y, at.width, ui.theme.quiet, words);
    // Two columns show a whole pad at once.
    let rows = at.height.saturating_sub(1).max(1);
    let width = at.width / 2;
    let faults = lines.iter().filter(|(_, wrong)| *wrong);
    let rest = lines.iter().filter(|(_, wrong)| !*wrong);
    for (line, (text, wrong)) in faults.chain(rest).enumerate() {
        let (column, row) = (line as u16 / rows, line as u16 % rows);
        if column > 1 {
            break;
        }
        let style = if *wrong { ui.theme.doubt } else { Style::new() };
        let text = if *wrong { format!("▲ {text}") } else { text.clone() };
        ui.text(at.x + column * width, at.y + 1 + row, width.saturating_sub(1), style, &text);
    }
}

/// The most cells that a control takes in the preview of a face.
const SPOT: u16 = 16;

/// Draws where the controls would sit; whatever is moved stands out, so that its number can be read.
fn draw_face(ui: &mut Ui<'_>, at: Rect, text: &str) {
    let Some(detail) = ui.slot_detail() else { return };
    let moving: Vec<String> = detail
        .devices
        .iter()
        .flat_map(|device| device.controls.iter().filter(|control| control.active))
        .map(|control| control.name.clone())
        .collect();
    let said = match moving.as_slice() {
        [] => "Press a control to see its name here.".to_owned(),
        names => format!("Pressed now: {}", names.join(", ")),
    };
    let face = face_of(detail, text);
    ui.text(at.x, at.y, at.width, ui.theme.quiet, &said);
    let face = match face {
        Ok(face) => face,
        Err(why) => {
            ui.text(at.x, at.y + 1, at.width, ui.theme.doubt, &format!("▲ {why}"));
            return;
        }
    };
    let columns = face.rows.iter().map(Vec::len).max().unwrap_or(1).max(1) as u16;
    let width = (at.width / columns).min(SPOT);
    for (row, cells) in face.rows.iter().enumerate() {
        let y = at.y + 1 + row as u16;
        if y >= at.bottom() {
            break;
        }
        for (column, name) in cells.iter().enumerate() {
            let is_pressed = moving.iter().any(|own| name.eq_ignore_ascii_case(own));
            let style = if is_pressed { ui.theme.chosen } else { Style::new() };
            let name = if name.is_empty() { "·" } else { name };
            // Narrow columns have room for the number alone.
            let number = name.rsplit(' ').next().unwrap_or(name);
            let fits = name.chars().count() < usize::from(width);
            let shown = if fits { name } else { number };
            ui.text(at.x + column as u16 * width, y, width.saturating_sub(1), style, shown);
        }
    }
}
