//! The seam to the world: the only difference between Linux, the simulation and a replay.

use mantle_core::binding::Profile;
use mantle_core::command::{Answer, CommandNumber};
use mantle_core::connecting::RadioNews;
use mantle_core::cover::Strength;
use mantle_core::device::{DeviceId, Driven, NodeFacts, NodeId, OsFault};
use mantle_core::front::Front;
use mantle_core::games::{GameRule, RunningProgram};
use mantle_core::outgoing::Sent;
use mantle_core::pad::{Events, GameLamp, OwnPad};
use mantle_core::path::{MadePad, PadFault};
use mantle_core::preferences::Preferences;
use mantle_core::priority::Priority;
use mantle_core::readiness::ReadyFacts;
use mantle_core::sheet::Sheet;
use mantle_core::sight::Look;
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Effect, Purpose};
use mantle_core::time::Micros;
use mantle_talk::Order;
use std::sync::Arc;

/// An event with its stamp. Large and rare ones are boxed, since every report is passed as one of these.
#[derive(Debug)]
pub enum Happening<'a> {
    /// A report, stamped right after it was read.
    Report {
        /// When.
        at: Micros,
        /// The node.
        node: NodeId,
        /// As hidraw delivers it.
        bytes: &'a [u8],
    },
    /// Only time has passed.
    Time(Micros),
    /// A node has appeared.
    Arrived(Micros, Box<NodeFacts>),
    /// A node's rights have changed.
    Changed(Micros, NodeId),
    /// The kernel's input nodes of a node's device have changed.
    Inputs(Micros, NodeId, Vec<String>, Box<Driven>),
    /// The system reports the battery of a node's device, 0 to 1, and whether it is charging; none if it no longer reports.
    Power(Micros, NodeId, Option<(f32, bool)>),
    /// Reports of a node came faster than they could be read.
    Overrun(Micros, NodeId),
    /// A node is gone.
    Gone(Micros, NodeId),
    /// A node was opened, or refused.
    Opened(Micros, NodeId, Result<(), OsFault>),
    /// The result of something that was sent: its number and purpose.
    Sent(Micros, NodeId, u32, Purpose, Result<Sent, OsFault>),
    /// A pad is there, under this name, or was refused.
    Pad(Micros, SlotNumber, Result<MadePad, PadFault>),
    /// The nodes through which a slot types are there, under this name, or were refused, or took nothing.
    Keys(Micros, SlotNumber, Result<String, PadFault>),
    /// A game asks for rumble: strong, weak, until.
    Rumble(Micros, SlotNumber, u16, u16, Micros),
    /// The result of looking at what a game would see.
    Looked(Micros, Box<Look>),
    /// The machine's readiness.
    Ready(Micros, Box<ReadyFacts>),
    /// The computer's radio reports something.
    Radio(Micros, Box<RadioNews>),
    /// A game sets a pad's lamp.
    Lamp(Micros, SlotNumber, GameLamp),
    /// A device that is only held although it should be hidden may be tried again.
    CoverAgain(Micros, DeviceId),
    /// It is this engine's turn, or another account's.
    Front(Micros, Front),
    /// The state of a node whose reports were lost: its reports, or why it does not answer.
    Asked(Micros, NodeId, Result<Vec<Vec<u8>>, OsFault>),
    /// A device is covered, or not.
    Covered(Micros, DeviceId, Result<Strength, OsFault>),
    /// An order. Hands and recordings concern only the world that has them.
    Order(Micros, Box<Order>),
    /// The result of an order to the world itself.
    Answer(Micros, CommandNumber, Box<Answer>),
    /// All sheets have been read again, with these faults.
    Sheets(Micros, Vec<Sheet>, Vec<String>),
    /// All pad files have been read again, with these faults.
    OwnPads(Micros, Vec<Arc<OwnPad>>, Vec<String>),
    /// All profiles have been read again, with these faults.
    Profiles(Micros, Vec<Arc<Profile>>, Vec<String>),
    /// The rules for games have been read again, or cannot be.
    Rules(Micros, Result<Vec<GameRule>, Vec<String>>),
    /// Which of the programs watched under a number are running.
    Running(Micros, u32, Vec<RunningProgram>),
    /// A rule was saved or deleted, with the one it replaced; or not.
    Rule(Micros, CommandNumber, Box<Result<(GameRule, Option<GameRule>), String>>),
    /// The settings have been read again, or cannot be.
    Settings(Micros, Box<Result<Preferences, Vec<String>>>),
    /// The machine is going to sleep, or has woken.
    Sleep(Micros, bool),
    /// How the engine's thread is scheduled from now on.
    Priority(Micros, Priority),
    /// The result of finding out whether pads can be made.
    Probed(Micros, Result<(), PadFault>),
    /// A change of a profile was saved, or not.
    Profile(Micros, CommandNumber, Result<Box<Profile>, String>),
    /// The world failed at something nobody is waiting for, such as saving: for the journal and the screen.
    Note(mantle_core::table::Note),
    /// Something that happened earlier, for the journal alone.
    Recalled(mantle_core::table::Note),
    /// The world has ended.
    End,
}

/// Reads the person's files.
pub type FilesToRead = Box<dyn FnOnce() -> Vec<(String, String)> + Send>;

/// What the engine runs over.
pub trait World {
    /// Waits for the next event until a moment; then returns [`Happening::Time`].
    fn next(&mut self, until: Option<Micros>) -> Happening<'_>;

    /// Writes the events of one frame to a slot's pad, at once.
    ///
    /// # Errors
    /// Why the pad took nothing.
    fn write(&mut self, slot: SlotNumber, events: &Events) -> Result<(), PadFault>;

    /// The time, for measuring; none where time is not real, as in a replay.
    fn clock(&self) -> Option<Micros>;

    /// The person's files, to be read where waiting harms nobody: each one's place below their directory, and its text.
    fn files(&self) -> FilesToRead;

    /// Starts something slow and returns at once, what comes of it happens later; [`Effect::Type`] is done at once.
    fn start(&mut self, effect: Effect);
}

impl<W: World> World for &mut W {
    fn next(&mut self, until: Option<Micros>) -> Happening<'_> {
        (**self).next(until)
    }

    fn write(&mut self, slot: SlotNumber, events: &Events) -> Result<(), PadFault> {
        (**self).write(slot, events)
    }

    fn clock(&self) -> Option<Micros> {
        (**self).clock()
    }

    fn files(&self) -> FilesToRead {
        (**self).files()
    }

    fn start(&mut self, effect: Effect) {
        (**self).start(effect);
    }
}

/// A world in which nothing ever happens.
#[derive(Clone, Copy, Debug, Default)]
pub struct NoWorld;

impl World for NoWorld {
    fn next(&mut self, _until: Option<Micros>) -> Happening<'_> {
        Happening::End
    }

    fn write(&mut self, _slot: SlotNumber, _events: &Events) -> Result<(), PadFault> {
        Ok(())
    }

    fn clock(&self) -> Option<Micros> {
        None
    }

    fn files(&self) -> FilesToRead {
        Box::new(Vec::new)
    }

    fn start(&mut self, _effect: Effect) {}
}
