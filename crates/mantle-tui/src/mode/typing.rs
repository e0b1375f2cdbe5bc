//! A line that is being typed: what for, and the text so far.

use super::sheet;
use crate::keys::{Intent, Key, key};
use crate::panel::Ui;
use mantle_talk::{DeviceId, SlotNumber, TEMPLATES, Target};
use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::Style;
use tui_input::{Input, InputRequest};

/// What a line is typed for.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum TypedFor {
    /// A recording is to be opened.
    Recording,
    /// A target of a slot gets a source.
    Source(SlotNumber, Target),
    /// A target of a slot gets a name.
    Action(SlotNumber, Target),
    /// A key, or something of the mouse, is to be played.
    KeyTarget(SlotNumber),
    /// A slot gets a layer.
    Layer(SlotNumber),
    /// A slot's profile gets another name.
    Profile(SlotNumber),
    /// A slot gets a new profile, by purpose.
    NewProfile(SlotNumber),
    /// A device gets a name of the person's own.
    Nickname(DeviceId),
    /// The chosen profile gets another name.
    RenameProfile,
    /// A file of somebody else's is taken in.
    TakeProfileIn,
    /// The chosen profile's file is copied to another place.
    HandProfileOut,
}

/// A line, half typed.
#[derive(Clone, Debug)]
pub struct Typing {
    /// What for.
    pub what: TypedFor,
    input: Input,
    /// What stands there was there before: the first letter takes its place, any other key changes it.
    fresh: bool,
}

impl Typing {
    /// An empty line.
    #[must_use]
    pub fn new(what: TypedFor) -> Self {
        Self { what, input: Input::default(), fresh: false }
    }

    /// A line that begins with what there is already.
    #[must_use]
    pub fn with(what: TypedFor, text: &str) -> Self {
        Self { what, input: Input::new(text.to_owned()), fresh: true }
    }

    /// What has been typed, without blanks around it.
    #[must_use]
    pub fn text(&self) -> &str {
        self.input.value().trim()
    }

    /// A key that is none of the place's own.
    pub fn handle_key(&mut self, code: KeyCode) {
        if std::mem::take(&mut self.fresh) && matches!(code, KeyCode::Char(_)) {
            self.input = Input::default();
        }
        edit(&mut self.input, code);
    }

    fn title(&self, ui: &Ui<'_>) -> String {
        match self.what {
            TypedFor::Recording => "Open a recording".into(),
            TypedFor::Source(_, target) => format!("What plays {}", ui.name_of(target)),
            TypedFor::KeyTarget(_) => "What shall be typed".into(),
            TypedFor::Layer(_) => "A new layer".into(),
            TypedFor::Profile(_) | TypedFor::RenameProfile => "What the profile is called".into(),
            TypedFor::NewProfile(_) => "A new profile".into(),
            TypedFor::Nickname(_) => "What you call it".into(),
            TypedFor::TakeProfileIn => "Take a profile in".into(),
            TypedFor::HandProfileOut => "Hand a profile out".into(),
            TypedFor::Action(_, target) => format!("What {} does in the game", ui.name_of(target)),
        }
    }

    fn hints(&self) -> [String; 2] {
        let templates = TEMPLATES.each_ref().map(|template| template.name).join(", ");
        let words = match self.what {
            TypedFor::Recording => [
                "a file's path, or the name of one that was recorded here",
                "It plays over and over as a device of its own, until it is closed.",
            ],
            TypedFor::Source(..) => [
                "a part of a control's name, such as button 3, hat up, Z upper half",
                "Of an axis say which half, or that it is the whole of it.",
            ],
            TypedFor::KeyTarget(_) => [
                "a part of its name, such as space, key W, mouse up, mouse button left, wheel down, pause",
                "Then press the control that shall play it.",
            ],
            TypedFor::Layer(_) => ["its name, such as shift", "Then press the control that shall be held for it."],
            TypedFor::Nickname(_) => [
                "such as red one, left cupboard; nothing takes the name away",
                "It is called so everywhere, and kept with it.",
            ],
            TypedFor::NewProfile(_) => [templates.as_str(), "The slot plays by it at once."],
            TypedFor::TakeProfileIn => [
                "the path of a file that ends with .profile.toml",
                "It is copied among yours. What it would type is not typed before you agree.",
            ],
            TypedFor::HandProfileOut => ["a file or a directory that it is copied to", "Nothing is written over."],
            TypedFor::Profile(_) | TypedFor::RenameProfile => ["such as night ferry", "Slots that play by it follow."],
            TypedFor::Action(..) => ["in your own words, such as jump; nothing takes the name away", ""],
        };
        words.map(str::to_owned)
    }
}

/// A key that is no place's own, on a line that is being typed.
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

/// Its keys.
pub fn keys() -> Vec<Key> {
    vec![
        key(KeyCode::Enter, "Enter", Intent::Open, "do it", true),
        key(KeyCode::Esc, "Esc", Intent::Back, "leave it", true),
    ]
}

/// Draws the line.
pub fn draw(ui: &mut Ui<'_>, area: Rect, typing: &Typing) {
    let title = typing.title(ui);
    let at = sheet(ui, area, 72, 8, &title);
    let [what, then] = typing.hints();
    ui.text(at.x, at.y, at.width, ui.theme.quiet, &what);
    let width = usize::from(at.width.saturating_sub(3));
    let scroll = typing.input.visual_scroll(width);
    let seen: String = typing.input.value().chars().skip(scroll).take(width).collect();
    ui.text(at.x, at.y + 1, 1, ui.theme.key, "▸");
    let style = if typing.fresh { ui.theme.chosen } else { Style::new() };
    ui.text(at.x + 2, at.y + 1, at.width - 2, style, &seen);
    let cursor = at.x + 2 + (typing.input.visual_cursor().saturating_sub(scroll)) as u16;
    ui.cursor(cursor, at.y + 1);
    ui.text(at.x, at.y + 3, at.width, ui.theme.quiet, &then);
}
