//! Keys and intents: one table per view feeds the hints, the help page and the check for double keys.

pub use crate::intents::{Binding, Calibrate, Call, ConnectKey, FeelKey, PadKey, ProfilesKey, RuleKey};
pub use crate::places::Place;
use mantle_talk::{KindStep, Stage};
use ratatui::crossterm::event::KeyCode;

/// Everything that a person can want.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Intent {
    /// Up a row, or to the slot above.
    Up,
    /// Down a row, or to the slot below.
    Down,
    /// One stage left.
    Left,
    /// One stage right.
    Right,
    /// Open the chosen item, or agree.
    Open,
    /// Go back, or refuse.
    Back,
    /// Go to a slot.
    Slot(u8),
    /// Go to a stage.
    Go(Stage),
    /// Do what the first sentence asks for, or go to where it can be done.
    Mend,
    /// Do what the shown sentence proposes.
    MendNow,
    /// Like [`Intent::Mend`], for the sentence at this index: its key was clicked.
    MendAt(u8),
    /// Nickname the chosen device.
    Nickname,
    /// Make the chosen device rumble and blink.
    FindDevice,
    /// Lock or unlock the table.
    Lock,
    /// Ask for a press that gives a device a slot, or stop asking.
    SitDown,
    /// Let two buttons give a device a slot at any time, or no longer.
    SitByTwo,
    /// Place the chosen device.
    Place,
    /// Empty the chosen slot.
    TakeOut,
    /// Move the chosen player to another slot.
    Move,
    /// Tie the chosen device to another player, or untie a device of the slot.
    Tie,
    /// Say that the device is the slot's own, in another mode or over another link.
    SameDevice,
    /// Release everything, or resume.
    LetGo,
    /// Pause the chosen slot, or resume it.
    PauseSlot,
    /// Allow the slot's profile to type, or withdraw that.
    LetType,
    /// Type even while this screen has the keyboard, or no longer.
    TypeHere,
    /// Export what is shown.
    Paper,
    /// Leave the chosen device to the game, or take that back.
    LeaveToGame,
    /// Let a held keyboard's unused keys reach the system, or no longer.
    PassOn,
    /// Take a simulated device in hand.
    TakeInHand,
    /// Move the chosen control of the device in hand, or choose another.
    InHand(char),
    /// Undo.
    Undo,
    /// Record the chosen device's reports, or stop.
    Record,
    /// Show and keep keyboards' reports, or forget them.
    Keyboards,
    /// Find the chosen device's fields by pressing.
    Find,
    /// Accept the proposal.
    Accept,
    /// Ask again.
    Again,
    /// Skip this control.
    Skip,
    /// Go back to the previous control.
    Before,
    /// The person has done as asked.
    Now,
    /// Move the control held last through its travel.
    Travel,
    /// Freeze the reports, or resume.
    Freeze,
    /// One report back.
    Earlier,
    /// One report forward.
    Later,
    /// Many reports back.
    MuchEarlier,
    /// Many reports forward.
    MuchLater,
    /// Pause the recording, or resume it.
    Pause,
    /// Play the recording's next report.
    Step,
    /// Play it twice as fast.
    Faster,
    /// Play it half as fast.
    Slower,
    /// An intent of the Bindings view.
    Binding(Binding),
    /// An intent of the Pad view.
    Pad(PadKey),
    /// Show what stands in the way of play.
    Readiness,
    /// Connect a device.
    Connect,
    /// An intent of the Connect view.
    Connecting(ConnectKey),
    /// An intent about rules for games.
    Rule(RuleKey),
    /// An intent of the Feel view.
    Feel(FeelKey),
    /// To the slot or device above, in any view.
    RowBefore,
    /// To the slot or device below.
    RowAfter,
    /// An intent of a calibration.
    Calibrate(Calibrate),
    /// Choose another kind of pad for the slot.
    ChooseKind,
    /// Step through the kinds of pad, or through the shapes of one.
    Kind(KindStep),
    /// An intent of a roll call.
    Call(Call),
    /// Swap the sources of the two targets.
    SwapSources,
    /// Let the source play both targets.
    BothTargets,
    /// Explain the view on a page.
    Explain,
    /// Redo.
    Redo,
    /// Open a recording.
    OpenFile,
    /// Close the recording.
    CloseFile,
    /// Open the journal.
    Journal,
    /// Search the list.
    FindInList,
    /// List all commands that are possible now.
    Orders,
    /// Count the typed numbers from 0, or from 1.
    CountOtherwise,
    /// An intent of the Profiles view.
    Profiles(ProfilesKey),
    /// List the keys of the view.
    Help,
    /// Skip to the next step of the tour.
    SkipStep,
    /// Leave.
    Quit,
    /// Leave without asking.
    QuitNow,
}

/// One key of a view.
#[derive(Clone, Copy, Debug)]
pub struct Key {
    /// The key's code.
    pub code: KeyCode,
    /// How it is written.
    pub label: &'static str,
    /// What it means.
    pub intent: Intent,
    /// What it does, in a word or two.
    pub words: &'static str,
    /// Whether it is shown among the hints at the bottom.
    pub hint: bool,
}

pub(crate) const fn key(code: KeyCode, label: &'static str, intent: Intent, words: &'static str, hint: bool) -> Key {
    Key { code, label, intent, words, hint }
}

pub(crate) const fn letter(c: char, label: &'static str, intent: Intent, words: &'static str, hint: bool) -> Key {
    key(KeyCode::Char(c), label, intent, words, hint)
}

const STAGES: [Key; 7] = [
    letter('D', "D", Intent::Go(Stage::Device), "Device", false),
    letter('R', "R", Intent::Go(Stage::Reports), "Reports", false),
    letter('C', "C", Intent::Go(Stage::Controls), "Controls", false),
    letter('B', "B", Intent::Go(Stage::Bindings), "Bindings", false),
    letter('F', "F", Intent::Go(Stage::Feel), "Feel", false),
    letter('P', "P", Intent::Go(Stage::Pad), "Pad", false),
    letter('G', "G", Intent::Go(Stage::Games), "Games", false),
];

pub(crate) const SLOTS: [Key; 8] = [
    letter('1', "1", Intent::Slot(1), "slot 1", false),
    letter('2', "2", Intent::Slot(2), "slot 2", false),
    letter('3', "3", Intent::Slot(3), "slot 3", false),
    letter('4', "4", Intent::Slot(4), "slot 4", false),
    letter('5', "5", Intent::Slot(5), "slot 5", false),
    letter('6', "6", Intent::Slot(6), "slot 6", false),
    letter('7', "7", Intent::Slot(7), "slot 7", false),
    letter('8', "8", Intent::Slot(8), "slot 8", false),
];

const ARROWS: [Key; 6] = [
    key(KeyCode::Up, "↑", Intent::Up, "up", false),
    key(KeyCode::Down, "↓", Intent::Down, "down", false),
    key(KeyCode::PageUp, "PgUp", Intent::RowBefore, "slot above", false),
    key(KeyCode::PageDown, "PgDn", Intent::RowAfter, "slot below", false),
    key(KeyCode::Left, "←", Intent::Left, "left", false),
    key(KeyCode::Right, "→", Intent::Right, "right", false),
];

// Keys of one view come first: hints that do not fit are dropped from the end.
const ACTIONS: [Key; 41] = [
    letter('w', "w", Intent::Mend, "what is wrong first", false),
    letter('W', "W", Intent::MendNow, "mend it", false),
    letter('f', "f", Intent::Freeze, "stop, continue", true),
    letter('r', "r", Intent::Record, "record", true),
    letter('y', "y", Intent::Keyboards, "show a keyboard's reports", true),
    letter('n', "n", Intent::Find, "find fields", true),
    letter('[', "[", Intent::Earlier, "earlier", true),
    letter(']', "]", Intent::Later, "later", true),
    letter('{', "{", Intent::MuchEarlier, "50 earlier", false),
    letter('}', "}", Intent::MuchLater, "50 later", false),
    letter(' ', "space", Intent::Pause, "pause, continue", true),
    letter('.', ".", Intent::Step, "next report", true),
    letter('+', "+", Intent::Faster, "faster", false),
    letter('-', "-", Intent::Slower, "slower", false),
    letter('O', "O", Intent::CloseFile, "close the recording", true),
    letter('o', "o", Intent::OpenFile, "recording", true),
    letter('p', "p", Intent::Place, "place", true),
    letter('m', "m", Intent::Move, "move", true),
    letter('t', "t", Intent::Tie, "tie", true),
    letter('x', "x", Intent::TakeOut, "take out", true),
    letter('l', "l", Intent::LetGo, "let go", true),
    letter('s', "s", Intent::SitDown, "give a slot by a press", false),
    letter('e', "e", Intent::SitByTwo, "by two buttons, any time", false),
    letter('i', "i", Intent::Lock, "lock, unlock the table", false),
    letter('N', "N", Intent::Nickname, "nickname", false),
    letter('b', "b", Intent::FindDevice, "find it: rumble, blink", false),
    letter('h', "h", Intent::TakeInHand, "take in hand", true),
    letter('g', "g", Intent::LeaveToGame, "leave to the game", false),
    letter('k', "k", Intent::PassOn, "unused keys", true),
    letter('K', "K", Intent::ChooseKind, "kind of pad", true),
    letter('S', "S", Intent::Profiles(ProfilesKey::Open), "profiles", true),
    letter('X', "X", Intent::Paper, "export", true),
    letter('A', "A", Intent::LetType, "let it type", true),
    letter('T', "T", Intent::TypeHere, "type here too", true),
    letter('L', "L", Intent::PauseSlot, "pause the slot", false),
    letter('u', "u", Intent::Undo, "undo", true),
    letter('U', "U", Intent::Redo, "redo", false),
    letter('j', "j", Intent::Journal, "journal", true),
    key(KeyCode::Backspace, "Bksp", Intent::Orders, "commands", true),
    letter('?', "?", Intent::Help, "keys", true),
    key(KeyCode::F(1), "F1", Intent::Explain, "what this view is for", false),
];

/// Keys that change bindings.
const BINDINGS: [Key; 14] = [
    key(KeyCode::Enter, "Enter", Intent::Binding(Binding::Press), "press it", true),
    key(KeyCode::Tab, "Tab", Intent::Binding(Binding::Next), "next", true),
    key(KeyCode::BackTab, "Shift-Tab", Intent::Binding(Binding::Before), "previous", false),
    letter('c', "c", Intent::Call(Call::Begin), "roll call", true),
    letter('v', "v", Intent::Call(Call::Mark), "mark for it", false),
    letter('t', "t", Intent::Binding(Binding::Type), "choose from a list", true),
    letter('g', "g", Intent::Binding(Binding::Block), "a whole stick, hat", true),
    letter('#', "#", Intent::Binding(Binding::List), "type a list of numbers", false),
    letter('M', "M", Intent::Binding(Binding::Face), "where controls sit, for the card", false),
    letter('/', "/", Intent::FindInList, "find a control of the pad", false),
    letter('K', "K", Intent::Binding(Binding::KeyTarget), "a key, the mouse", true),
    key(KeyCode::Delete, "Del", Intent::Binding(Binding::Nothing), "nothing", true),
    letter('d', "d", Intent::Binding(Binding::AsGuessed), "default", true),
    letter('a', "a", Intent::Binding(Binding::Name), "name the action", true),
];

/// Keys for layers and options.
const OPTIONS: [Key; 13] = [
    letter(']', "]", Intent::Binding(Binding::NextOption), "next option", true),
    letter('[', "[", Intent::Binding(Binding::BeforeOption), "previous option", false),
    letter('+', "+", Intent::Binding(Binding::More), "more", true),
    letter('-', "-", Intent::Binding(Binding::Less), "less", true),
    letter('>', ">", Intent::Binding(Binding::MuchMore), "ten steps more", false),
    letter('<', "<", Intent::Binding(Binding::MuchLess), "ten steps less", false),
    letter('=', "=", Intent::Binding(Binding::TypeOption), "type the option's value", false),
    letter('y', "y", Intent::Binding(Binding::NextLayer), "next layer", true),
    letter('Y', "Y", Intent::Binding(Binding::NewLayer), "new layer", true),
    letter('N', "N", Intent::Binding(Binding::DropLayer), "delete the layer", false),
    letter('H', "H", Intent::Binding(Binding::ToggleLayer), "held or toggled", false),
    letter('n', "n", Intent::Binding(Binding::Rename), "rename the profile", false),
    letter('o', "o", Intent::Binding(Binding::Copy), "a copy of it", false),
];

/// Keys that measure axes.
const CONTROLS: [Key; 2] = [
    letter('z', "z", Intent::Calibrate(Calibrate::Begin), "calibrate", true),
    letter('Z', "Z", Intent::Calibrate(Calibrate::Forget), "as the device says", false),
];

/// Keys that help to assign controls inside a game.
const PAD: [Key; 8] = [
    key(KeyCode::Tab, "Tab", Intent::Pad(PadKey::Next), "next", true),
    key(KeyCode::BackTab, "Shift-Tab", Intent::Pad(PadKey::Before), "previous", false),
    key(KeyCode::Enter, "Enter", Intent::Pad(PadKey::Press), "press it in 5 s", true),
    letter('s', "s", Intent::Pad(PadKey::Only), "send only it", true),
    letter('/', "/", Intent::FindInList, "find a control of the pad", false),
    letter('z', "z", Intent::Pad(PadKey::Again), "start over", true),
    letter('v', "v", Intent::Pad(PadKey::Rumble), "rumble", true),
    letter('c', "c", Intent::Pad(PadKey::Lamp), "lamps", true),
];

/// Keys that change the feel.
const FEEL: [Key; 13] = [
    key(KeyCode::Tab, "Tab", Intent::Feel(FeelKey::Next), "next", true),
    key(KeyCode::BackTab, "Shift-Tab", Intent::Feel(FeelKey::Before), "previous", false),
    letter('+', "+", Intent::Feel(FeelKey::More), "more", true),
    letter('-', "-", Intent::Feel(FeelKey::Less), "less", true),
    letter('>', ">", Intent::Feel(FeelKey::MuchMore), "ten steps more", false),
    letter('<', "<", Intent::Feel(FeelKey::MuchLess), "ten steps less", false),
    key(KeyCode::Enter, "Enter", Intent::Feel(FeelKey::Type), "type a value", true),
    letter(']', "]", Intent::Feel(FeelKey::NextShaped), "next stick or trigger", true),
    letter('[', "[", Intent::Feel(FeelKey::BeforeShaped), "previous", false),
    letter('f', "f", Intent::Feel(FeelKey::Flip), "old, new", true),
    letter('z', "z", Intent::Feel(FeelKey::Measure), "measure", true),
    letter('e', "e", Intent::Feel(FeelKey::Walk), "raise the output", true),
    letter('d', "d", Intent::Feel(FeelKey::Usual), "default", true),
];

/// The keys of a stage view: its own first, then the common ones.
pub(crate) fn stage_view(keys: &mut Vec<Key>, own: impl IntoIterator<Item = Key>) {
    keys.extend(ARROWS);
    keys.push(key(KeyCode::Esc, "Esc", Intent::Back, "board", true));
    keys.extend(own);
    let taken: Vec<KeyCode> = keys.iter().map(|key| key.code).collect();
    keys.extend(ACTIONS.into_iter().filter(|key| !taken.contains(&key.code)));
    keys.extend(SLOTS);
    keys.extend(STAGES);
    keys.push(letter('q', "q", Intent::Quit, "leave", true));
}

/// The keys of a view, a conversation or the hand.
#[must_use]
pub(crate) fn of_view(place: Place) -> Vec<Key> {
    let mut keys = Vec::new();
    match place {
        Place::Board => {
            keys.extend(ARROWS);
            keys.push(key(KeyCode::Enter, "Enter", Intent::Open, "open", true));
            // Keyboards' reports are shown in Reports only.
            let readiness = letter('y', "y", Intent::Readiness, "readiness", true);
            // The same key speeds a recording up; without a recording it connects a device.
            let connect = letter('+', "+", Intent::Connect, "connect", true);
            let others = ACTIONS.into_iter().filter(|key| key.code != connect.code);
            keys.extend(others.map(|key| if key.code == readiness.code { readiness } else { key }));
            // Hints that do not fit are dropped from the end, and somebody without devices needs this one first.
            let at = keys.iter().position(|key| key.intent == Intent::Readiness).map_or(keys.len(), |at| at);
            keys.insert(at, connect);
            keys.push(Key { hint: false, ..CONTROLS[0] });
            keys.extend(SLOTS);
            keys.extend(STAGES);
            keys.push(letter('q', "q", Intent::Quit, "leave", true));
        }
        // Bindings are changed in their own view. Here their keys say so, except for keys with another meaning here.
        Place::Stage => {
            let others =
                BINDINGS.into_iter().filter(|key| !matches!(key.code, KeyCode::Char('t' | 'K' | 'g' | '#' | '/')));
            stage_view(&mut keys, CONTROLS.into_iter().chain(others));
        }
        Place::Bindings => stage_view(&mut keys, BINDINGS.into_iter().chain(OPTIONS)),
        Place::Feel => stage_view(&mut keys, FEEL),
        Place::Pad => stage_view(&mut keys, PAD),
        Place::Feeling => {
            keys.push(key(KeyCode::Enter, "Enter", Intent::Feel(FeelKey::Take), "accept", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Feel(FeelKey::Leave), "stop", true));
        }
        Place::Journal => {
            keys.push(key(KeyCode::Up, "↑", Intent::Up, "older", true));
            keys.push(key(KeyCode::Down, "↓", Intent::Down, "newer", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Back, "back", true));
            keys.push(letter('j', "j", Intent::Back, "back", false));
            keys.push(letter('X', "X", Intent::Paper, "case file, to get help", true));
            keys.push(letter('?', "?", Intent::Help, "keys", true));
            keys.push(key(KeyCode::F(1), "F1", Intent::Explain, "what this view is for", false));
            keys.push(letter('q', "q", Intent::Quit, "leave", true));
        }
        Place::Profiles => {
            let own = |c, label, wanted, words, hint| letter(c, label, Intent::Profiles(wanted), words, hint);
            keys.push(key(KeyCode::Esc, "Esc", Intent::Back, "back", true));
            keys.push(key(KeyCode::Up, "↑", Intent::Up, "up", false));
            keys.push(key(KeyCode::Down, "↓", Intent::Down, "down", false));
            keys.push(key(KeyCode::Enter, "Enter", Intent::Profiles(ProfilesKey::PlayBy), "play by it", true));
            keys.push(own('c', "c", ProfilesKey::Copy, "copy", true));
            keys.push(own('n', "n", ProfilesKey::Rename, "rename", true));
            keys.push(key(KeyCode::Delete, "Del", Intent::Profiles(ProfilesKey::Delete), "delete", true));
            keys.push(own('N', "N", ProfilesKey::New, "new from a template", true));
            keys.push(own('i', "i", ProfilesKey::Import, "import", true));
            keys.push(own('e', "e", ProfilesKey::Export, "export", true));
            keys.push(own('=', "=", ProfilesKey::Compare, "compare with it", true));
            keys.push(letter('/', "/", Intent::FindInList, "find", true));
            keys.push(own(']', "]", ProfilesKey::Later, "further differences", false));
            keys.push(own('[', "[", ProfilesKey::Earlier, "previous differences", false));
            keys.push(letter('u', "u", Intent::Undo, "undo", true));
            keys.push(letter('U', "U", Intent::Redo, "redo", false));
            keys.push(key(KeyCode::Backspace, "Bksp", Intent::Orders, "commands", true));
            keys.push(letter('?', "?", Intent::Help, "keys", true));
            keys.push(key(KeyCode::F(1), "F1", Intent::Explain, "what this view is for", false));
            keys.push(letter('q', "q", Intent::Quit, "leave", true));
            keys.extend(SLOTS);
        }
        Place::Finding => {
            keys.push(key(KeyCode::Enter, "Enter", Intent::Accept, "accept", true));
            keys.push(key(KeyCode::Backspace, "Backspace", Intent::Again, "again", true));
            keys.push(key(KeyCode::Tab, "Tab", Intent::Skip, "skip", true));
            keys.push(key(KeyCode::BackTab, "Shift-Tab", Intent::Before, "previous", true));
            keys.push(letter(' ', "space", Intent::Now, "I did it", true));
            keys.push(letter('v', "v", Intent::Travel, "move through its travel (in hand)", false));
            keys.push(letter('?', "?", Intent::Help, "keys", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Back, "stop and keep", true));
        }
        Place::Calibrating => {
            keys.push(key(KeyCode::Enter, "Enter", Intent::Calibrate(Calibrate::Next), "done", true));
            keys.push(key(KeyCode::Backspace, "Backspace", Intent::Calibrate(Calibrate::Again), "again", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Calibrate(Calibrate::Stop), "discard", true));
        }
        Place::Calibrated => {
            keys.push(key(KeyCode::Enter, "Enter", Intent::Calibrate(Calibrate::Next), "accept", true));
            keys.push(letter('z', "z", Intent::Calibrate(Calibrate::DeadZones), "with dead zones", true));
            keys.push(key(KeyCode::Backspace, "Backspace", Intent::Calibrate(Calibrate::Again), "again", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Calibrate(Calibrate::Stop), "discard", true));
        }
        Place::Calling => {
            keys.push(key(KeyCode::Tab, "Tab", Intent::Call(Call::Tab), "skip", true));
            keys.push(key(KeyCode::Backspace, "Backspace", Intent::Call(Call::Backspace), "go back", true));
            keys.push(key(KeyCode::Enter, "Enter", Intent::Call(Call::Enter), "again", false));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Call(Call::Stop), "stop and keep", true));
        }
        Place::CallingUsed => {
            keys.push(key(KeyCode::Enter, "Enter", Intent::Call(Call::Enter), "move it here", true));
            keys.push(key(KeyCode::Tab, "Tab", Intent::Call(Call::Tab), "both", true));
            keys.push(key(KeyCode::Backspace, "Backspace", Intent::Call(Call::Backspace), "leave it there", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Call(Call::Stop), "stop and keep", true));
        }
        Place::Called => {
            keys.push(key(KeyCode::Enter, "Enter", Intent::Call(Call::Enter), "bindings", true));
            keys.push(key(KeyCode::Backspace, "Backspace", Intent::Call(Call::Backspace), "go back", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Call(Call::Stop), "bindings", false));
        }
        Place::Hand => {
            let own = |c, label, words| letter(c, label, Intent::InHand(c), words, false);
            keys.push(own('.', ".", "next control"));
            keys.push(own(',', ",", "previous control"));
            keys.push(own(' ', "space", "press the chosen control"));
            keys.push(own('+', "+", "to its upper end"));
            keys.push(own('-', "-", "to its lower end"));
            keys.push(letter('?', "?", Intent::Help, "keys", true));
            keys.push(key(KeyCode::Esc, "Esc", Intent::Back, "put it down", true));
        }
        // These modes bring their own keys.
        Place::Choose
        | Place::Kind
        | Place::Members
        | Place::Question
        | Place::Case
        | Place::Guide
        | Place::Help
        | Place::Games
        | Place::Readiness
        | Place::Connect
        | Place::ConnectTyping
        | Place::Typing
        | Place::Listening
        | Place::Swap => {}
    }
    keys
}
