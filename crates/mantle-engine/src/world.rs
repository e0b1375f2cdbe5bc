//! The seam to the world: the only difference between Linux, the simulation and a replay.

use crate::observer::Observer;
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
use mantle_core::table::{Effect, Purpose, Table};
use mantle_core::time::Micros;
use mantle_talk::{FindOrder, Order, Wish};
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

impl Happening<'_> {
    /// Passes it to the table or the observer, and returns the stamp. Reports take a shorter way.
    #[inline(never)]
    pub(crate) fn tell(self, table: &mut Table, observer: &mut dyn Observer) -> Micros {
        observer.handle_happening(&self, table);
        match self {
            Self::Report { at, node, bytes } => {
                crate::report(table, at, node, bytes);
                observer.handle_report(at, node, bytes);
                at
            }
            Self::Time(at) => {
                table.handle_time(at);
                at
            }
            Self::Arrived(at, facts) => {
                table.handle_arrived(at, *facts);
                at
            }
            Self::Changed(at, node) => {
                table.handle_changed(at, node);
                at
            }
            Self::Inputs(at, node, inputs, driven) => {
                table.handle_inputs(at, node, inputs, *driven);
                at
            }
            Self::Power(at, node, power) => {
                table.handle_power(at, node, power);
                at
            }
            Self::Overrun(at, node) => {
                table.handle_overrun(at, node);
                at
            }
            Self::Gone(at, node) => {
                table.handle_gone(at, node);
                at
            }
            Self::Opened(at, node, result) => {
                table.handle_opened(at, node, result);
                at
            }
            Self::Sent(at, node, request, purpose, result) => {
                table.handle_sent(at, node, request, purpose, result);
                at
            }
            Self::Pad(at, slot, result) => {
                table.handle_pad(at, slot, result);
                at
            }
            Self::Keys(at, slot, result) => {
                table.handle_keys(at, slot, result);
                at
            }
            Self::Rumble(at, slot, strong, weak, until) => {
                table.handle_rumble(at, slot, strong, weak, until);
                at
            }
            Self::Looked(at, look) => {
                table.handle_look(at, *look);
                at
            }
            Self::Ready(at, facts) => {
                table.handle_ready(at, *facts);
                at
            }
            Self::Radio(at, news) => {
                table.handle_radio(at, *news);
                at
            }
            Self::Lamp(at, slot, lamp) => {
                table.handle_lamp(at, slot, lamp);
                at
            }
            Self::Asked(at, node, result) => {
                table.handle_asked(at, node, &result);
                at
            }
            Self::CoverAgain(at, device) => {
                table.handle_cover_again(at, device);
                at
            }
            Self::Front(at, front) => {
                table.handle_front(at, front);
                at
            }
            Self::Covered(at, device, result) => {
                table.handle_cover(at, device, result);
                at
            }
            Self::Order(at, order) => {
                let Order { number, wish } = *order;
                match handle_wish(at, number, wish, table, observer) {
                    Some(Ok(())) => observer.handle_answer(number, Answer::PLAIN),
                    Some(Err(why)) => observer.handle_answer(number, Answer::Refused { why }),
                    None => {}
                }
                at
            }
            Self::Answer(at, number, answer) => {
                observer.handle_answer(number, *answer);
                at
            }
            Self::Sheets(at, sheets, faults) => {
                table.handle_sheets(at, sheets, faults);
                at
            }
            Self::OwnPads(at, pads, faults) => {
                table.handle_own_pads(at, pads, faults);
                at
            }
            Self::Profiles(at, profiles, faults) => {
                table.handle_profiles(at, profiles, faults);
                at
            }
            Self::Rules(at, read) => {
                table.handle_rules(at, read);
                at
            }
            Self::Running(at, round, running) => {
                table.handle_running(at, round, running);
                at
            }
            Self::Rule(at, number, result) => {
                table.handle_rule(at, number, *result);
                at
            }
            Self::Settings(at, read) => {
                table.handle_preferences(at, *read);
                at
            }
            Self::Sleep(at, asleep) => {
                table.handle_sleep(at, asleep);
                at
            }
            Self::Priority(at, priority) => {
                table.handle_priority(at, &priority);
                at
            }
            Self::Probed(at, found) => {
                table.handle_probe(at, found);
                at
            }
            Self::Profile(at, number, result) => {
                table.handle_profile(at, number, result.map(|profile| *profile));
                at
            }
            Self::Note(note) => {
                let at = note.at;
                observer.handle_warning(note);
                at
            }
            Self::Recalled(note) => {
                let at = note.at;
                observer.handle_note(note);
                at
            }
            Self::End => Micros::default(),
        }
    }
}

/// Carries out an order; none if the table answers.
fn handle_wish(
    at: Micros,
    number: CommandNumber,
    wish: Wish,
    table: &mut Table,
    observer: &mut dyn Observer,
) -> Option<Result<(), String>> {
    Some(match wish {
        Wish::Command(command) => {
            table.handle_command(at, number, command);
            return None;
        }
        Wish::Watch(watch) => {
            observer.handle_watch(number.asker(), watch);
            Ok(())
        }
        Wish::Find(order) => {
            if let FindOrder::Begin(node) = order {
                table.handle_finding(at, Some(node));
            }
            observer.handle_find(at, order)
        }
        Wish::Record(node, on) => {
            if on {
                table.handle_looking(at, node);
            }
            observer.handle_record(at, table.source(node), on)
        }
        Wish::History(request) => {
            observer.handle_history(number.asker(), &request);
            Ok(())
        }
        Wish::Case(_) => Err("a case can only be made while a screen or the service runs".into()),
        Wish::Hand { .. } => Err("only simulated devices can be taken in hand".into()),
        Wish::Playback(_) => Err("only recordings can be opened, paused, stepped and closed here".into()),
        Wish::Paper(_) => Err("exports are made by the screen".into()),
        Wish::Sleep(asleep) => {
            table.handle_sleep(at, asleep);
            Ok(())
        }
        Wish::Stop => Ok(()),
    })
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
