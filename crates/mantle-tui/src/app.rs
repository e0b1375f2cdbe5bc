//! The state of the screen: what the person looks at, and what they have asked the engine to do.
//!
//! The layout, on the board and in a stage view:
//!
//! ```text
//! title                                            state of the machine
//! the board: a row a slot, a column a stage   |   the strip: the slot's path
//! devices without a slot                      |   the stage, over all of the rest
//! the sentences
//! the chosen cell's stage in short
//! the keys
//! ```

use crate::chosen_profile::ChosenProfile;
use crate::early::Early;
use crate::frozen::Frozen;
use crate::in_hand::InHand;
use crate::key_table;
use crate::keys::{Intent, Place};
use crate::mode::{Guide, GuidePage, Mode};
use crate::offer::Files;
use crate::panel::Seen;
use crate::rows::{Click, Message, Row, Then, View};
use crate::theme::{Look, Theme};
use crate::tour::{Tour, TourStep};
use crate::traces::Traces;
use mantle_talk::{
    Command, CommandNumber, Detail, DeviceId, DeviceRow, Knob, Micros, NodeId, OptionsView, Order, PadTarget, Shape,
    Shaped, SlotNumber, SlotRow, Snapshot, Stage, Target, Watch, Wish,
};
use ratatui::crossterm::event::{Event, KeyCode, KeyEventKind, MouseEventKind};
use ratatui::layout::{Position, Rect};
use std::sync::Arc;
use std::time::Duration;

/// The screen's state.
#[derive(Debug)]
pub struct App {
    pub(crate) look: Look,
    pub(crate) theme: Theme,
    pub(crate) snapshot: Arc<Snapshot>,
    pub(crate) view: View,
    /// What is open over the view and takes the keys.
    pub(crate) mode: Mode,
    pub(crate) row: Option<Row>,
    pub(crate) stage: Stage,
    watch: Watch,
    pub(crate) orders: Vec<Order>,
    numbers: u32,
    pub(crate) waiting: Vec<(CommandNumber, Then)>,
    /// The chosen target: a control of the pad, or a key that is typed.
    pub(crate) target: Target,
    /// The layer shown; empty for the base.
    pub(crate) layer: String,
    /// The index of the chosen option.
    pub(crate) choice: usize,
    /// The stick or trigger whose feel is shown, and its chosen setting.
    pub(crate) shaped: usize,
    pub(crate) knob: Knob,
    /// The slot that sends only one control.
    pub(crate) helped: Option<SlotNumber>,
    /// The slot whose pad is being tried.
    pub(crate) tried: Option<SlotNumber>,
    /// The options of a binding until its save is confirmed: target, layer, options.
    pub(crate) pending_option: Option<(Target, String, OptionsView)>,
    /// A feel until its save is confirmed.
    pub(crate) pending_feel: Option<(SlotNumber, Shaped, Shape)>,
    /// The part whose controls the engine is watching for us.
    pub(crate) looked_at: Option<(DeviceId, u8)>,
    /// Targets marked for a roll call.
    pub(crate) marked: Vec<Target>,
    pub(crate) message: Option<Message>,
    /// The sentence that `w` went to last; none once the person moves elsewhere.
    pub(crate) walked: Option<mantle_talk::Sentence>,
    /// Whether keyboards' reports are shown and kept.
    pub(crate) keyboards: bool,
    pub(crate) hand: Option<InHand>,
    /// The last key that moved a device in hand, and when.
    pub(crate) moved_by: Option<(KeyCode, Micros)>,
    pub(crate) frozen: Option<Frozen>,
    /// The chosen row in the list of what a game sees.
    pub(crate) listed: usize,
    /// Scroll position of the Controls view.
    pub(crate) seen: Seen,
    pub(crate) clicks: Vec<(Rect, Click)>,
    /// The place whose keys the last frame shows.
    pub(crate) drawn: Place,
    pub(crate) back: usize,
    /// What is chosen in the Profiles view.
    pub(crate) shelf: ChosenProfile,
    pub(crate) width: u16,
    pub(crate) height: u16,
    /// The view to return to from the journal.
    journal_from: View,
    /// The last seconds of every control that moved.
    pub(crate) traces: Traces,
    /// A line that was left half typed, and its purpose.
    pub(crate) left_line: Option<(crate::mode::TypedFor, String)>,
    /// What was typed before the engine had answered what it needs.
    pub(crate) early: Early,
    /// The line whose orders have not been answered yet.
    pub(crate) last_line: Option<crate::mode::Typing>,
    /// Lists files that could be opened.
    pub(crate) files: Files,
    /// The text that explains each view.
    guide: Guide,
    /// Words for a first-time user; empty otherwise.
    pub(crate) greeting: String,
    /// The tour below the view, if one is running.
    pub(crate) tour: Option<Tour>,
    pub(crate) left: bool,
}

impl App {
    /// An empty board.
    #[must_use]
    pub fn new(look: Look) -> Self {
        Self {
            look,
            theme: Theme::new(look),
            snapshot: Arc::default(),
            view: View::Board,
            journal_from: View::Board,
            mode: Mode::View,
            row: None,
            stage: Stage::Device,
            watch: Watch::default(),
            // Whoever starts the program from this terminal has the keyboard here.
            orders: vec![Order::unanswered(Wish::Command(Command::HaveScreen(true)))],
            numbers: 0,
            waiting: Vec::new(),
            target: Target::Pad(PadTarget::South),
            layer: String::new(),
            choice: 0,
            shaped: 0,
            knob: Knob::DeadZone,
            helped: None,
            tried: None,
            pending_option: None,
            pending_feel: None,
            looked_at: None,
            marked: Vec::new(),
            message: None,
            walked: None,
            keyboards: false,
            hand: None,
            moved_by: None,
            frozen: None,
            listed: 0,
            seen: Seen::default(),
            clicks: Vec::new(),
            drawn: Place::Board,
            back: 0,
            shelf: ChosenProfile::default(),
            height: 0,
            width: 160,
            traces: Traces::new(),
            left_line: None,
            early: Early::default(),
            last_line: None,
            files: |_, _| Vec::new(),
            guide: |_, _| String::new(),
            greeting: String::new(),
            tour: None,
            left: false,
        }
    }

    /// Adds a file list, so that paths can be chosen instead of typed.
    #[must_use]
    pub fn with_files(self, files: Files) -> Self {
        Self { files, ..self }
    }

    /// Adds the texts that explain each view.
    #[must_use]
    pub fn with_guide(self, guide: Guide) -> Self {
        Self { guide, ..self }
    }

    /// Adds a tour of these steps; an empty list adds none.
    #[must_use]
    pub fn with_tour(self, steps: Vec<TourStep>) -> Self {
        let tour = (!steps.is_empty()).then(|| Tour::new(steps));
        Self { tour, ..self }
    }

    /// Moves the tour to its next step.
    pub(crate) fn skip_step(&mut self) {
        self.tour = self.tour.take().and_then(|mut tour| tour.skip().then_some(tour));
    }

    /// Adds words for a first-time user, shown until the first key or click.
    #[must_use]
    pub fn with_greeting(self, greeting: String) -> Self {
        Self { greeting, ..self }
    }

    /// Opens a page that explains the view and lists recipes for the connected devices.
    fn explain(&mut self) {
        let view = match self.view {
            View::Board => "Board",
            View::Stage => self.stage.name(),
            View::Journal => "Journal",
            View::Profiles => "Profiles",
        };
        // A view of one device shows the recipes for that device only.
        let own = self.device().filter(|_| self.view == View::Stage);
        let all = self.snapshot.devices.iter().filter(|device| own.is_none_or(|own| own.id == device.id));
        let devices: Vec<&str> = all.map(|device| device.what.as_str()).collect();
        self.mode = Mode::Guide(GuidePage { title: view.to_owned(), text: (self.guide)(view, &devices), from: 0 });
    }

    /// Whether the person has left the program.
    #[must_use]
    pub fn left(&self) -> bool {
        self.left
    }

    /// Takes the orders for the engine.
    pub fn take_orders(&mut self) -> Vec<Order> {
        std::mem::take(&mut self.orders)
    }

    /// How long to wait for an event before calling [`App::handle_quiet`].
    #[must_use]
    pub fn patience(&self) -> Duration {
        if self.early.is_empty() { Duration::from_secs(3600) } else { Duration::from_secs(1) }
    }

    /// Called after a quiet while. Returns whether to draw.
    pub fn handle_quiet(&mut self) -> bool {
        self.drop_early();
        false
    }

    /// Handles a new snapshot.
    pub fn handle_snapshot(&mut self, snapshot: Arc<Snapshot>) {
        self.handle_answers(&snapshot.answers);
        if self.waiting.is_empty() {
            self.pending_feel = None;
            self.pending_option = None;
        }
        let begun = snapshot.roll_call.as_ref().filter(|_| self.snapshot.roll_call.is_none()).map(|call| call.slot);
        self.snapshot = snapshot;
        self.keep_profile();
        self.keep_row();
        if self.is_fresh() {
            self.traces.see(self.row, &self.snapshot);
        }
        if let Mode::Connect(connecting) = &mut self.mode {
            connecting.see(&self.snapshot);
        }
        // A roll call that was begun from the device opens the view that shows it.
        if let Some(slot) = begun.filter(|_| self.mode.is_view()) {
            (self.row, self.view, self.stage) = (Some(Row::Slot(slot)), View::Stage, Stage::Bindings);
            self.update_watch();
        }
        self.press_early_keys();
        self.act_on_early();
        self.look_at_capture();
    }

    /// Keeps the chosen row; a device that was just placed is followed into its slot.
    fn keep_row(&mut self) {
        let rows = self.rows();
        if let Some(row) = self.row {
            if rows.contains(&row) {
                return self.update_watch();
            }
            if let Row::Device(id, part) = row {
                let slot = self.snapshot.devices.iter().find(|d| (d.id, d.part) == (id, part)).and_then(|d| d.slot);
                self.row = slot.map(Row::Slot).filter(|row| rows.contains(row));
            } else {
                self.row = None;
            }
        }
        if self.row.is_none() {
            self.row = rows.first().copied();
        }
        self.update_watch();
    }

    pub(crate) fn rows(&self) -> Vec<Row> {
        let slots = self.snapshot.slots.iter().map(|slot| Row::Slot(slot.number));
        slots.chain(self.slotless().map(|device| Row::Device(device.id, device.part))).collect()
    }

    pub(crate) fn slotless(&self) -> impl Iterator<Item = &DeviceRow> {
        self.snapshot.devices.iter().filter(|device| device.slot.is_none())
    }

    fn update_watch(&mut self) {
        let mut watch = Watch { journal: self.view == View::Journal, ..Watch::default() };
        match self.row {
            Some(Row::Slot(slot)) => watch.slot = Some(slot),
            Some(Row::Device(id, part)) => watch.device = Some((id, part)),
            None => {}
        }
        watch.reports = self.stage == Stage::Reports;
        watch.sight = self.stage == Stage::Games;
        watch.connecting = matches!(self.mode, Mode::Connect(_));
        watch.readiness = matches!(self.mode, Mode::Readiness(_));
        watch.shelf = (self.view == View::Profiles).then(|| {
            let (chosen, against) = self.shelf_places();
            (chosen as u16, against as u16)
        });
        watch.keyboards = self.keyboards;
        // Frozen reports belong to one view of one device.
        let seen = self.view == View::Stage && self.stage == Stage::Reports;
        let node = self.device().map(|device| device.node);
        self.frozen = self.frozen.take().filter(|frozen| seen && Some(frozen.node) == node);
        self.look_at_controls();
        self.send_all_again();
        self.try_seen_pad();
        if watch != self.watch {
            self.watch = watch;
            self.order(Wish::Watch(watch));
        }
    }

    /// The device that the chosen row stands for.
    pub(crate) fn device(&self) -> Option<&DeviceRow> {
        match self.row? {
            Row::Slot(slot) => {
                // A slot with several devices stands for the one that is shown first.
                let first = self.snapshot.detail.devices().first().map(|own| (own.id, own.part));
                let mut own = self.snapshot.devices.iter().filter(|device| device.slot == Some(slot));
                own.clone().find(|device| Some((device.id, device.part)) == first).or_else(|| own.next())
            }
            Row::Device(id, part) => self.snapshot.devices.iter().find(|d| (d.id, d.part) == (id, part)),
        }
    }

    /// The chosen row, if it is a slot.
    pub(crate) fn slot_row(&self) -> Option<&SlotRow> {
        let Some(Row::Slot(slot)) = self.row else { return None };
        self.snapshot.slots.iter().find(|row| row.number == slot)
    }

    /// Whether the chosen device is a keyboard.
    pub(crate) fn on_keyboard(&self) -> bool {
        self.device().is_some_and(|device| device.keyboard)
    }

    /// The node of the chosen recording, or of the recording that the whole screen shows.
    pub(crate) fn playing(&self) -> Option<NodeId> {
        let device = self.device().filter(|device| device.recorded || self.snapshot.header.replay);
        device.map(|device| device.node).or(self.snapshot.header.replay.then_some(NodeId(0)))
    }

    /// The chosen keyboard or mouse, and whether its unused keys reach the system.
    pub(crate) fn passing(&self) -> Option<(DeviceId, bool)> {
        self.device().and_then(|device| Some((device.id, device.passes?)))
    }

    pub(crate) fn command(&mut self, command: Command, then: Then) {
        self.give(Wish::Command(command), then);
    }

    pub(crate) fn order(&mut self, wish: Wish) {
        self.give(wish, Then::Nothing);
    }

    fn give(&mut self, wish: Wish, then: Then) {
        self.numbers += 1;
        let number = CommandNumber(self.numbers);
        self.waiting.push((number, then));
        self.orders.push(Order { number, wish });
    }

    /// Handles an event of the terminal.
    pub fn handle_event(&mut self, event: &Event) {
        if matches!(event, Event::Key(key) if key.kind == KeyEventKind::Release) {
            return;
        }
        if self.comes_early(event) {
            return self.early.push(event);
        }
        let acts = matches!(event, Event::Key(_) | Event::Paste(_))
            || matches!(event, Event::Mouse(mouse) if matches!(mouse.kind, MouseEventKind::Down(_)));
        if acts {
            self.greeting.clear();
            self.tour.iter_mut().for_each(Tour::handle_act);
        }
        match event {
            Event::Key(key) if key.code == KeyCode::F(2) => self.handle_intent(Intent::SkipStep),
            Event::Key(key) => {
                let place = self.place();
                let repeats = self.repeats_in_hand(key.code);
                match key_table::intent(place, key) {
                    _ if repeats && !place.has_hand() => {}
                    Some(intent) => self.handle_intent(intent),
                    None if place == Place::Typing => self.type_key(key.code),
                    None if place == Place::ConnectTyping => {
                        if let Mode::Connect(connecting) = &mut self.mode {
                            connecting.handle_key(key.code);
                        }
                    }
                    None if place.has_hand() => {
                        self.moved_by = Some((key.code, self.snapshot.now));
                        self.hand_key(key.code);
                    }
                    None if place == Place::Finding => self.hand_hold(key.code),
                    // The change stands; the key belongs to the view below.
                    None if place == Place::Swap => {
                        self.mode = Mode::View;
                        return self.handle_event(event);
                    }
                    None => {}
                }
            }
            Event::Paste(text) => self.paste(text),
            Event::FocusGained => self.command(Command::HaveScreen(true), Then::Nothing),
            Event::FocusLost => self.command(Command::HaveScreen(false), Then::Nothing),
            Event::Mouse(mouse) => self.handle_mouse(mouse.kind, Position { x: mouse.column, y: mouse.row }),
            _ => {}
        }
        self.update_watch();
    }

    pub(crate) fn handle_intent(&mut self, intent: Intent) {
        self.message = None;
        if intent == Intent::QuitNow {
            self.left = true;
            return;
        }
        if intent == Intent::SkipStep {
            return self.skip_step();
        }
        if intent == Intent::Explain && matches!(self.mode, Mode::View | Mode::Help(_)) {
            return self.explain();
        }
        if !self.mode.is_view() {
            return self.handle_mode(intent);
        }
        match self.place() {
            Place::Finding => self.handle_finding(intent),
            Place::Hand if intent == Intent::Back => self.put_down(),
            Place::Hand => match intent {
                Intent::InHand(key) => self.hand_key(KeyCode::Char(key)),
                Intent::Help => self.mode = Mode::Help(0),
                _ => {}
            },
            Place::Journal => self.handle_journal(intent),
            Place::Profiles => self.handle_profiles(intent),
            _ => self.handle_main(intent),
        }
    }

    /// Opens the journal, and remembers the view to return to.
    pub(crate) fn open_journal(&mut self) {
        if self.view != View::Journal {
            self.journal_from = self.view;
        }
        (self.view, self.back) = (View::Journal, 0);
    }

    fn handle_journal(&mut self, intent: Intent) {
        match intent {
            Intent::Up => self.back = (self.back + 1).min(self.snapshot.journal.len().saturating_sub(1)),
            Intent::Down => self.back = self.back.saturating_sub(1),
            Intent::Back => self.view = self.journal_from,
            Intent::Paper => self.mode = Mode::Case,
            Intent::Help => self.mode = Mode::Help(0),
            Intent::Quit => self.quit(),
            _ => {}
        }
    }

    /// Whether the detail belongs to the chosen row; right after a move it still belongs to the previous one.
    pub(crate) fn is_fresh(&self) -> bool {
        match (&self.snapshot.detail, self.row) {
            (Detail::Slot(slot), Some(Row::Slot(number))) => slot.number == number,
            (Detail::Device(device), Some(Row::Device(id, part))) => (device.id, device.part) == (id, part),
            _ => false,
        }
    }
}
