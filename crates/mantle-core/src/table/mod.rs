//! All slots and devices: who plays what, and the engine's only entrance.
//!
//! Order of use: tell it the time ([`Table::handle_time`]) or what happened (`handle_*`), then take everything there is to
//! do: [`Table::poll_write`], [`Table::poll_effect`], [`Table::poll_note`],
//! [`Table::poll_answer`]. [`Table::deadline`] says when it wants to be told the time again; telling it sooner or
//! later changes nothing.

mod alarms;
mod arrivals;
mod calibrating;
mod calling;
mod case;
mod commands;
mod covers;
mod device_link;
mod effect;
mod entry;
mod facts;
mod guests;
mod keeping;
mod learning;
mod lending;
mod links;
mod listen;
mod looks;
mod own_pads;
mod pads;
mod playing;
mod profiles;
mod proposals;
mod radio;
mod readying;
mod resting;
mod road;
mod said;
mod seats;
mod settle;
mod sheets;
mod slots;
mod source;
mod ties;
mod time;
mod tuning;
mod twins;
mod typing;
mod undo;
mod watching;

pub use device_link::Purpose;
pub use effect::{Effect, Note};
pub use playing::{ByGame, PlayedGame};
pub use source::{Offer, Source};
pub use tuning::Tuning;
pub use typing::{HeldBack, KeysNode};
pub use watching::LastPress;

pub use crate::binding::{Profile, Target};

use crate::binding::BindingNumber;
use crate::command::{Answer, CommandNumber};
use crate::control::Calibration;
use crate::cover::Cover;
use crate::device::{DeviceId, NodeId};
use crate::feel::Feel;
use crate::front::Front;
use crate::games::GameRule;
use crate::keys::KeyTarget;
use crate::listening::{Listening, Views};
use crate::measure::Spread;
use crate::pad::{GameLamp, OwnPad, PadKind, PadModel};
use crate::path::{Mark, PadCondition, PadFault};
use crate::preferences::Preferences;
use crate::seating::Seating;
use crate::session::Session;
use crate::sheet::Sheet;
use crate::slot::Feedback;
use crate::slot::{Remembered, RememberedSlot, SlotNumber};
use crate::time::Micros;
use std::collections::VecDeque;
use std::sync::Arc;

/// A failed pad is retried after this long.
pub const PAD_RETRY: Micros = Micros::seconds(1);
/// The most journal notes that wait to be taken; older ones are dropped first.
const NOTES: usize = 256;

/// What a table starts with.
#[derive(Clone, Debug, Default)]
pub struct Settings {
    /// The slots file.
    pub remembered: Remembered,
    /// The profiles; *plain* is always among them.
    pub profiles: Vec<Arc<Profile>>,
    /// The person's pad files.
    pub own_pads: Vec<Arc<OwnPad>>,
    /// Whether devices are covered while their slot plays.
    pub cover: bool,
    /// The sheets; of two that fit equally well, the first one counts.
    pub sheets: Vec<Sheet>,
    /// Faults of the machine and its files, each in a sentence, which stay as long as this runs.
    pub notices: Vec<String>,
    /// Faults in profiles, sheets, settings, pad files and rules for games, until those are read again.
    pub file_faults: [Vec<String>; 5],
    /// The rules for games.
    pub rules: Vec<GameRule>,
    /// The settings.
    pub preferences: Preferences,
    /// Seconds from 1970 to moment 0 of all time stamps; without it, slots are kept for ever.
    pub began: Option<u64>,
    /// Whose turn it is at first.
    pub front: Front,
}

/// The profile that every slot begins with.
pub const PLAIN: &str = "plain";

/// One slot in use.
#[derive(Clone, Debug)]
pub struct Slot {
    /// The members, and what they play.
    pub session: Session,
    /// The kind of pad, and its model.
    pub kind: PadKind,
    /// The state of its pad.
    pub model: Arc<PadModel>,
    /// The profile's name.
    pub profile: String,
    /// Whether the pad is there.
    pub pad: PadCondition,
    /// The pad's node, once it is there.
    pub pad_node: String,
    /// Why it is made of event nodes although it was to be a separate device.
    pub instead: Option<PadFault>,
    /// When it was made.
    made_at: Micros,
    /// A changed feel, with the old one.
    pub tuning: Tuning,
    /// The nodes through which it types.
    pub keys: KeysNode,
    /// The bindings of its members.
    bound: Option<Arc<Profile>>,
    /// The delays from report to pad in microseconds, within the last minute.
    pub delay: Spread,
    /// The delay that 1 % exceed, if too long.
    pub late: Option<Micros>,
    /// A game's rumble: strong, weak, until.
    pub rumble: Option<(u16, u16, Micros)>,
    /// How much of it reaches the hand, and what lamps show.
    pub feedback: Feedback,
    /// What games have set of its pad's lamps.
    pub lamp: GameLamp,
    /// The battery that its pad reports, in tenths, and whether it is charging.
    pub battery: Option<(u8, bool)>,
    /// Until when the device rumbles to confirm a step, besides any rumble of a game.
    pub shakes: Option<Micros>,
    /// What a rule for a game has changed, and what was before.
    pub by_game: Option<Box<ByGame>>,
    /// Who has paused it, if anybody.
    pub paused_by: Option<String>,
    /// The last press, and what became of it.
    pub last_press: Option<LastPress>,
    /// The feel it was set up with.
    feel_before: Feel,
    asked: bool,
    retry_at: Option<Micros>,
    /// Since when none of its devices has been here, in seconds since 1970, if slots are not kept for ever.
    away_since: Option<u64>,
}

/// What the road needs of a seat: the slot, and the member's index in it.
type Route = (SlotNumber, usize);

/// A part of a device: the collection `local` of a source.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct PartRef {
    /// Its number within the device, stable over reconnects.
    pub number: u8,
    /// The source.
    pub source: NodeId,
    /// Its index in the source's layout.
    pub local: usize,
    /// What its first reports have shown.
    pub learnt: LearntOfPart,
}

/// What the first reports of a part have shown.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct LearntOfPart {
    /// Two axes that looked like its right stick are triggers.
    pub triggers_turned: bool,
    /// The centre of its hat is the lower end of its range.
    pub hat_centre_low: bool,
}

/// What gives a target its value.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Origin {
    /// The member, by index in the session.
    pub member: usize,
    /// Its binding.
    pub binding: BindingNumber,
}

/// One connected device.
#[derive(Clone, Debug)]
pub struct Device {
    /// Its number.
    pub id: DeviceId,
    /// Its name.
    pub name: String,
    /// Its parts.
    pub parts: Vec<PartRef>,
    /// Its connected nodes.
    pub sources: Vec<NodeId>,
    /// How it stands towards games.
    pub cover: Cover,
    /// Whether its unused events reach the system while it is held.
    pub pass_on: bool,
    /// Whether its keyboard and pointer sides are covered along with it.
    sides: bool,
    /// Whether it is held although it is the only mouse.
    pointer: bool,
    /// The interfaces that are covered, or about to be, by physical path.
    covered: Vec<String>,
    /// When interfaces that are away to be covered were opened; coming back does not make them new.
    opened: Vec<(u8, Micros)>,
    /// How often in a row it was covered again because some unseen program held it.
    busy: u8,
    /// Until when it is to be covered as soon as its nodes are back.
    back_until: Option<(crate::cover::Strength, Micros)>,
}

/// All slots and devices.
#[derive(Debug)]
pub struct Table {
    slots: slots::Slots,
    devices: Vec<Option<Device>>,
    sources: Vec<Option<Box<Source>>>,
    /// Who sits where, who plays with whom, and what is kept for whom.
    seating: Seating,
    profiles: Vec<Arc<Profile>>,
    own_pads: Vec<Arc<OwnPad>>,
    /// Changes of profiles being saved.
    editing: Vec<profiles::Editing>,
    /// What listens while reports come, and what screens show in detail.
    listening: Listening,
    views: Views,
    /// Calibrations.
    calibrated: Vec<(crate::device::Key, Vec<(String, Calibration)>)>,
    /// Devices of which two axes turned out to be triggers.
    triggers_turned: Vec<crate::device::Key>,
    /// Whether any slot types, or has actions of the program itself.
    types: bool,
    /// Whether the program's own screen has the keyboard, and whether keys are typed all the same.
    screen: bool,
    types_here: bool,
    /// Devices with several links.
    links: links::Links,
    /// Members whose slot is only lent to them.
    lent: Vec<crate::seating::MemberId>,
    /// Whether the table is locked.
    locked: bool,
    /// Who gets a slot by a press.
    sitting: guests::Sitting,
    /// What profiles may type.
    agreed: Vec<(String, Vec<KeyTarget>)>,
    /// Commands that the table gave itself.
    own: u32,
    covers: bool,
    sheets: Vec<Arc<Sheet>>,
    /// Number of things sent so far.
    requests: u32,
    /// Whether connects and disconnects are kept out of the journal now.
    quiet: bool,
    paused: bool,
    /// Whose turn it is.
    front: Front,
    /// Whether the machine sleeps or is about to, and when it woke.
    asleep: bool,
    woke: Option<Micros>,
    trash: Vec<(CommandNumber, RememberedSlot)>,
    alarms: alarms::Alarms,
    watching: watching::Watching,
    /// What a game would see.
    looks: looks::Looks,
    /// What stands in the way of play.
    readying: readying::Readying,
    radio: radio::RadioBook,
    /// Rules for games, and the one that is applied.
    playing: playing::Playing,
    /// Faults of the machine and its files, as long as this runs; and faults in files of profiles and sheets.
    notices: Vec<String>,
    file_faults: [Vec<String>; 5],
    /// Faults from the start, until the journal has them: they come before anything else.
    unsaid: Vec<String>,
    /// The settings, and the time of moment 0.
    preferences: Preferences,
    began: Option<u64>,
    /// How often the consequences of facts have been worked out.
    settled: u64,
    /// What is kept across restarts, as last reported.
    kept: Remembered,
    effects: VecDeque<Effect>,
    answers: VecDeque<(CommandNumber, Answer)>,
    /// Changes of profiles that wait for another one.
    edits: Vec<(CommandNumber, SlotNumber, crate::binding::ProfileAct)>,
    /// What was done and can be undone.
    done: undo::DoneList,
    notes: VecDeque<Note>,
}

impl Table {
    /// A table with the remembered slots, whose devices are all away; their pads are requested at once, in order.
    #[must_use]
    pub fn new(settings: Settings) -> Self {
        let mut profiles = settings.profiles;
        if !profiles.iter().any(|profile| profile.name == PLAIN) {
            profiles.insert(0, Arc::new(Profile::plain(PLAIN, Feel::default())));
        }
        let mut seating = Seating::default();
        seating.kept.taken_out = settings.remembered.taken_out;
        seating.kept.left_to_game = settings.remembered.left_to_game;
        seating.kept.pointers = settings.remembered.pointers;
        seating.kept.shared_serials = settings.remembered.shared_serials;
        seating.kept.nicknames = settings.remembered.nicknames;
        let mut table = Self {
            slots: slots::Slots::default(),
            devices: Vec::new(),
            sources: Vec::new(),
            seating,
            profiles,
            own_pads: settings.own_pads,
            editing: Vec::new(),
            listening: Listening::Nothing,
            views: Views::default(),
            calibrated: settings.remembered.calibrated,
            triggers_turned: settings.remembered.triggers_turned,
            types: false,
            screen: false,
            types_here: settings.remembered.types_here,
            links: links::Links { same: settings.remembered.same, ..links::Links::default() },
            lent: Vec::new(),
            locked: settings.remembered.locked,
            sitting: guests::Sitting { asks: None, always: settings.remembered.sit_by_two },
            agreed: settings.remembered.agreed,
            own: 0,
            covers: settings.cover,
            sheets: settings.sheets.into_iter().map(Arc::new).collect(),
            requests: 0,
            quiet: false,
            paused: false,
            front: settings.front,
            asleep: false,
            woke: None,
            trash: Vec::new(),
            alarms: alarms::Alarms::default(),
            watching: watching::Watching::default(),
            looks: looks::Looks::default(),
            readying: readying::Readying::default(),
            radio: radio::RadioBook::default(),
            playing: playing::Playing::new(settings.rules),
            unsaid: settings.notices.iter().chain(settings.file_faults.iter().flatten()).cloned().collect(),
            notices: settings.notices,
            file_faults: settings.file_faults,
            preferences: settings.preferences,
            began: settings.began,
            settled: 0,
            kept: Remembered::default(),
            effects: VecDeque::with_capacity(64),
            answers: VecDeque::new(),
            edits: Vec::new(),
            done: undo::DoneList::default(),
            notes: VecDeque::with_capacity(NOTES),
        };
        for slot in settings.remembered.slots {
            table.restore_slot(Micros(0), slot);
        }
        table.kept = table.remembered();
        if table.slots().next().is_none() {
            table.effects.push_back(Effect::ProbePads);
        }
        table.settle(Micros(0));
        table
    }

    /// The slots in use.
    pub fn slots(&self) -> impl Iterator<Item = (SlotNumber, &Slot)> {
        self.slots.iter()
    }

    /// One slot, if it is in use.
    #[must_use]
    pub fn slot(&self, number: SlotNumber) -> Option<&Slot> {
        self.slots.get(number)
    }

    /// The connected devices.
    pub fn devices(&self) -> impl Iterator<Item = &Device> {
        self.devices.iter().flatten()
    }

    /// One device.
    #[must_use]
    pub fn device(&self, id: DeviceId) -> Option<&Device> {
        self.devices.get(usize::from(id.0))?.as_ref()
    }

    /// One node.
    #[must_use]
    pub fn source(&self, id: NodeId) -> Option<&Source> {
        self.sources.get(usize::from(id.0))?.as_deref()
    }

    /// Why a target of a slot's pad has its value: the member and its binding; none while it rests.
    #[must_use]
    pub fn origin(&self, number: SlotNumber, target: Target) -> Option<Origin> {
        let members = &self.slot(number)?.session.members;
        let all = members.iter().enumerate().filter_map(|(index, member)| {
            let (_, part) = self.part_of(number, index)?;
            let binding = member.origin(target, &self.source(part.source)?.frame)?;
            Some((member.gives(target), Origin { member: index, binding }))
        });
        all.reduce(|best, next| if next.0 > best.0 { next } else { best }).map(|(_, origin)| origin)
    }

    /// The profiles.
    #[must_use]
    pub fn profiles(&self) -> &[Arc<Profile>] {
        &self.profiles
    }

    /// A counter of facts: while it stays the same, only reports have come.
    #[must_use]
    pub fn settled(&self) -> u64 {
        self.settled
    }

    /// Whether everything is released.
    #[must_use]
    pub fn paused(&self) -> bool {
        self.paused
    }

    /// Whether there is nothing to take but writes: no effects, notes or answers, and nothing typed.
    #[inline]
    #[must_use]
    pub fn is_quiet(&self) -> bool {
        self.effects.is_empty() && self.notes.is_empty() && self.answers.is_empty() && !self.types
    }

    /// The next piece of work for another thread.
    pub fn poll_effect(&mut self) -> Option<Effect> {
        let effect = self.effects.pop_front();
        if effect.is_none() && self.types {
            return self.poll_typed();
        }
        effect
    }

    /// The next entry of the journal.
    pub fn poll_note(&mut self) -> Option<Note> {
        self.notes.pop_front()
    }

    /// The next answer to a command.
    pub fn poll_answer(&mut self) -> Option<(CommandNumber, Answer)> {
        self.answers.pop_front()
    }

    #[cold]
    fn poll_typed(&mut self) -> Option<Effect> {
        self.take_typed();
        self.effects.pop_front()
    }

    fn note(&mut self, at: Micros, mark: Mark, text: impl Into<String>) {
        if self.quiet && mark != Mark::Stop {
            return;
        }
        if at > Micros(0) {
            for text in std::mem::take(&mut self.unsaid) {
                self.note(at, Mark::Doubt, text);
            }
        }
        if self.notes.len() == NOTES {
            self.notes.pop_front();
        }
        self.notes.push_back(Note { at, mark, text: text.into() });
    }
}

#[cfg(test)]
mod tests;
