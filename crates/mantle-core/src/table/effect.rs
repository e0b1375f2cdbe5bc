//! What the table wants done in the world, and what it tells the journal.

use super::Purpose;
use crate::binding::ProfileAct;
use crate::command::{CommandNumber, RuleAct};
use crate::connecting::RadioAct;
use crate::cover::CoverPlan;
use crate::device::{DeviceId, NodeId};
use crate::games::GameRule;
use crate::keys::Typed;
use crate::outgoing::Act;
use crate::pad::PadModel;
use crate::path::Mark;
use crate::sheet::Sheet;
use crate::slot::{Remembered, SlotNumber};
use crate::time::Micros;
use std::sync::Arc;

/// Something to be done by a worker, never on the engine's own thread; what comes of it comes back by `handle_*`.
#[derive(Clone, PartialEq, Debug)]
pub enum Effect {
    /// Open a node for reading; answered by `handle_opened`.
    Open(NodeId),
    /// Close it.
    Close(NodeId),
    /// Make a slot's pad; answered by `handle_pad`, once the system has processed it.
    MakePad {
        /// The slot.
        slot: SlotNumber,
        /// What it is.
        model: Arc<PadModel>,
    },
    /// Find out whether pads can be made, without making one; answered by `handle_probe`.
    ProbePads,
    /// Take a slot's pad away.
    DropPad {
        /// The slot.
        slot: SlotNumber,
    },
    /// A slot's pad tells games that its battery is so full.
    PadBattery {
        /// The slot.
        slot: SlotNumber,
        /// In tenths.
        tenths: u8,
        /// Whether it charges.
        charges: bool,
    },
    /// Look what a game would see of this machine, and what this process has of it, whatever that is; answered by `handle_look`.
    Look(Option<u32>),
    /// Ask the computer's radio for something; what it says comes by `handle_radio`.
    Radio(RadioAct),
    /// Look how ready the machine is; answered by `handle_ready`.
    LookReady,
    /// Make the nodes through which a slot types; answered by `handle_keys`, once the system has processed them.
    MakeKeys {
        /// The slot.
        slot: SlotNumber,
    },
    /// Take them away.
    DropKeys {
        /// The slot.
        slot: SlotNumber,
    },
    /// Type, at once, on the engine's own thread: this is no slower than a pad's frame.
    Type {
        /// The slot.
        slot: SlotNumber,
        /// When.
        at: Micros,
        /// What.
        typed: Typed,
    },
    /// Hide a device; answered by `handle_cover`.
    Cover(CoverPlan),
    /// Undo that.
    Uncover(DeviceId),
    /// Send a report to a device, or ask it for one; answered by `handle_sent`.
    Send {
        /// The node.
        node: NodeId,
        /// The number under which it is answered.
        request: u32,
        /// Why.
        purpose: Purpose,
        /// What.
        act: Act,
    },
    /// Save a sheet among the person's own.
    SaveSheet(Arc<Sheet>),
    /// Change a profile's file, or make one; answered by `handle_profile`.
    Profile {
        /// The number under which it is answered.
        number: CommandNumber,
        /// What a new one is called.
        name: String,
        /// The file; empty for a new one.
        origin: String,
        /// What is done to it.
        act: ProfileAct,
    },
    /// From now on programs are looked for that these rules are for; answered by `handle_running`, at once and whenever something has changed.
    WatchGames {
        /// The number under which it is answered.
        round: u32,
        /// The rules; without any nothing is looked for.
        rules: Vec<GameRule>,
    },
    /// Save a rule for a game, or throw one away; answered by `handle_rule`.
    Rule {
        /// The number under which it is answered.
        number: CommandNumber,
        /// What is done.
        act: RuleAct,
    },
    /// Save what is remembered.
    Remember(Remembered),
}

/// An entry of the journal.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Note {
    /// When.
    pub at: Micros,
    /// How urgent.
    pub mark: Mark,
    /// What happened.
    pub text: String,
}
