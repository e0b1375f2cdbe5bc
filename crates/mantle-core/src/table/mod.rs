//! All slots and devices: who plays what, and the engine's only entry.
//!
//! Order of use: tell it the time ([`Table::handle_time`]) or what happened (`handle_*`), then take what is to be
//! done, until there is nothing left: [`Table::poll_write`], [`Table::poll_effect`], [`Table::poll_note`],
//! [`Table::poll_answer`]. [`Table::deadline`] says when it wants to be told the time again; telling it sooner, or
//! late, changes nothing.

mod alarms;
mod arrivals;
mod calibrating;
mod calling;
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

/// A failed pad is tried again after this long.
pub const PAD_RETRY: Micros = Micros::seconds(1);
/// Journal notes that may wait to be taken; older ones go first.
const NOTES: usize = 256;

/// What a table starts with.
#[derive(Clone, Debug, Default)]
pub struct Settings {
    /// The slots file.
    pub remembered: Remembered,
    /// The profiles that there are; *plain* is always among them.
    pub profiles: Vec<Arc<Profile>>,
    /// The pads of the person's own.
    pub own_pads: Vec<Arc<OwnPad>>,
    /// Whether devices are covered while their slot plays.
    pub cover: bool,
    /// The sheets that there are; of two that fit as well, the first one counts.
    pub sheets: Vec<Sheet>,
    /// What is wrong with the machine and with what is kept, each in a sentence: it stays so as long as this runs.
    pub notices: Vec<String>,
    /// What is wrong with the files of profiles, with those of sheets, with the settings, with the files of pads, and with the rules for games, until they are read again.
    pub file_faults: [Vec<String>; 5],
    /// The rules for games.
    pub rules: Vec<GameRule>,
    /// What the person has set once for everything.
    pub preferences: Preferences,
    /// Seconds from the beginning of 1970 to the moment 0 of all stamps; without it slots are kept for good.
    pub began: Option<u64>,
    /// Whose turn it is at first.
    pub front: Front,
}

/// The profile that every slot has until it gets another.
pub const PLAIN: &str = "plain";

/// One slot in use.
#[derive(Clone, Debug)]
pub struct Slot {
    /// The members, and what they play.
    pub session: Session,
    /// The kind of pad, and what a pad of that kind is.
    pub kind: PadKind,
    /// What its pad is.
    pub model: Arc<PadModel>,
    /// The profile's name.
    pub profile: String,
    /// Whether the pad is there.
    pub pad: PadCondition,
    /// What the system calls the pad's node, once it is there.
    pub pad_node: String,
    /// Why it is made of event nodes, though it was to be a device of its own.
    pub instead: Option<PadFault>,
    /// When it was made.
    made_at: Micros,
    /// A feel that was changed.
    pub tuning: Tuning,
    /// The nodes that it types through.
    pub keys: KeysNode,
    /// What its members are bound by.
    bound: Option<Arc<Profile>>,
    /// What it has taken from a report to the pad, in microseconds, within the last minute.
    pub delay: Spread,
    /// The same of 99 of 100, where that is too long.
    pub late: Option<Micros>,
    /// Rumble asked for by a game: strong, weak, until.
    pub rumble: Option<(u16, u16, Micros)>,
    /// What of it reaches the hand, and what lamps show.
    pub feedback: Feedback,
    /// What games have set of its pad's lamps.
    pub lamp: GameLamp,
    /// How full a battery its pad has been told, in tenths, and whether it charges.
    pub battery: Option<(u8, bool)>,
    /// The device shakes until then because something was done; a game's rumble goes on beside it.
    pub shakes: Option<Micros>,
    /// What a rule for a game has made of it, and what was before.
    pub by_game: Option<Box<ByGame>>,
    /// Who has paused it, if somebody has.
    pub paused_by: Option<String>,
    /// What was pressed last, and what became of it.
    pub last_press: Option<LastPress>,
    /// How it felt when it was set up.
    feel_before: Feel,
    asked: bool,
    retry_at: Option<Micros>,
    /// Since when none of its devices is here, in seconds from the beginning of 1970, where slots are not kept for good.
    away_since: Option<u64>,
}

/// What the road needs of a seat: the slot, and the place of the member among those of the slot.
type Route = (SlotNumber, usize);

/// A part of a device: the collection `local` of a source.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct PartRef {
    /// Its number within the device; stays the same over reconnects.
    pub number: u8,
    /// The source.
    pub source: NodeId,
    /// Its place in the source's layout.
    pub local: usize,
    /// What its first reports have told.
    pub learnt: LearntOfPart,
}

/// What the first reports of a part have told of it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct LearntOfPart {
    /// Two axes that would be its right stick are triggers.
    pub triggers_turned: bool,
    /// The centre of its hat is the lower end of its range.
    pub hat_centre_low: bool,
}

/// Who gives a target its value.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Origin {
    /// The member, by its place in the session.
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
    /// Its nodes that are there.
    pub sources: Vec<NodeId>,
    /// Where it stands between games and us.
    pub cover: Cover,
    /// Whether what nothing uses of it is passed on to the system while it is held.
    pub pass_on: bool,
    /// Whether what types and points of it, beside what plays, is covered along with it.
    sides: bool,
    /// Whether it is held though it is the only mouse.
    pointer: bool,
    /// The interfaces that are covered, or asked to be, by their physical paths.
    covered: Vec<String>,
    /// When its interfaces were opened that are away for their covering: that does not make them new.
    opened: Vec<(u8, Micros)>,
    /// How often in a row it was covered anew after somebody had held it whom nobody saw.
    busy: u8,
    /// It is covered as soon as its nodes are back, until this moment.
    back_until: Option<(crate::cover::Strength, Micros)>,
}

/// All slots and devices.
#[derive(Debug)]
pub struct Table {
    slots: slots::Slots,
    devices: Vec<Option<Device>>,
    sources: Vec<Option<Box<Source>>>,
    /// Who sits where and who plays with whom, and what is kept for whom.
    seating: Seating,
    profiles: Vec<Arc<Profile>>,
    own_pads: Vec<Arc<OwnPad>>,
    /// Changes of profiles that are being saved.
    editing: Vec<profiles::Editing>,
    /// What looks on while reports come, and what screens show closely.
    listening: Listening,
    views: Views,
    /// What was measured of axes.
    calibrated: Vec<(crate::device::Key, Vec<(String, Calibration)>)>,
    /// Devices of which two axes were seen to be triggers.
    triggers_turned: Vec<crate::device::Key>,
    /// Whether any slot types, or hears wishes.
    types: bool,
    /// The program's own screen has the keyboard, and whether keys are typed all the same.
    screen: bool,
    types_here: bool,
    /// Devices that come by several ways.
    links: links::Links,
    /// Members that have their slot only until its own devices are back.
    lent: Vec<crate::seating::MemberId>,
    /// Nobody sits down unasked.
    locked: bool,
    /// Who sits down by a press.
    sitting: guests::Sitting,
    /// What profiles may type.
    agreed: Vec<(String, Vec<KeyTarget>)>,
    /// Commands that the table gave itself.
    own: u32,
    covers: bool,
    sheets: Vec<Arc<Sheet>>,
    /// Numbers of what was sent so far.
    requests: u32,
    /// Comings and goings are not for the journal now.
    quiet: bool,
    paused: bool,
    /// Whose turn it is.
    front: Front,
    /// The machine sleeps, or is about to; when it woke.
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
    /// Rules for games, and the one that is played.
    playing: playing::Playing,
    /// What is wrong with the machine and with what is kept, as long as this runs; and with the files of profiles and of sheets.
    notices: Vec<String>,
    file_faults: [Vec<String>; 5],
    /// What was wrong from the start, until it stands in the journal: before whatever happens first.
    unsaid: Vec<String>,
    /// What the person has set once for everything, and when the stamps began.
    preferences: Preferences,
    began: Option<u64>,
    /// How often it has been worked out what follows from the facts.
    settled: u64,
    /// What is kept across restarts, as it was told last.
    kept: Remembered,
    effects: VecDeque<Effect>,
    answers: VecDeque<(CommandNumber, Answer)>,
    /// Changes of profiles that wait for another one.
    edits: Vec<(CommandNumber, SlotNumber, crate::binding::ProfileAct)>,
    /// What has been done and can be taken back.
    done: undo::DoneList,
    notes: VecDeque<Note>,
}

impl Table {
    /// A table with the remembered slots, whose devices are all away; their pads are asked for at once, in order.
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

    /// Why a target of a slot's pad is as it is: the member and its binding that give it; none while it rests.
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

    /// The profiles that there are.
    #[must_use]
    pub fn profiles(&self) -> &[Arc<Profile>] {
        &self.profiles
    }

    /// How often facts may have changed: while this stays the same, only reports have come.
    #[must_use]
    pub fn settled(&self) -> u64 {
        self.settled
    }

    /// Whether everything is let go.
    #[must_use]
    pub fn paused(&self) -> bool {
        self.paused
    }

    /// Whether there is nothing to be taken but writes: no effects, notes or answers, and nothing that is typed.
    #[inline]
    #[must_use]
    pub fn is_quiet(&self) -> bool {
        self.effects.is_empty() && self.notes.is_empty() && self.answers.is_empty() && !self.types
    }

    /// The next thing to be done by somebody who may take his time.
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
