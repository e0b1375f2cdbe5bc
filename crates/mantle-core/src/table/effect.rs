//! What the table wants done in the world, and its journal entries.

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

/// Work for other threads; results come back through `handle_*`.
#[derive(Clone, PartialEq, Debug)]
pub enum Effect {
    /// Open a node for reading; answered by `handle_opened`.
    Open(NodeId),
    /// Close it.
    Close(NodeId),
    /// Make a slot's pad; answered by `handle_pad` once the system has processed it.
    MakePad {
        /// The slot.
        slot: SlotNumber,
        /// The pad.
        model: Arc<PadModel>,
    },
    /// Find out whether pads can be made, without making one; answered by `handle_probe`.
    ProbePads,
    /// Remove a slot's pad.
    DropPad {
        /// The slot.
        slot: SlotNumber,
    },
    /// Let a slot's pad report this battery to games.
    PadBattery {
        /// The slot.
        slot: SlotNumber,
        /// Charge in tenths.
        tenths: u8,
        /// Whether it is charging.
        charges: bool,
    },
    /// Look at what a game would see of this machine, and what this process has of it; answered by `handle_look`.
    Look(Option<u32>),
    /// Make a request to the computer's radio; its reports come through `handle_radio`.
    Radio(RadioAct),
    /// Check the machine's readiness; answered by `handle_ready`.
    LookReady,
    /// Make the nodes through which a slot types; answered by `handle_keys` once the system has processed them.
    MakeKeys {
        /// The slot.
        slot: SlotNumber,
    },
    /// Remove them.
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
        /// The keys.
        typed: Typed,
    },
    /// Hide a device; answered by `handle_cover`.
    Cover(CoverPlan),
    /// Give it back.
    Uncover(DeviceId),
    /// Send a device a report, or ask it for one; answered by `handle_sent`.
    Send {
        /// The node.
        node: NodeId,
        /// The number of the answer.
        request: u32,
        /// The purpose.
        purpose: Purpose,
        /// The report.
        act: Act,
    },
    /// Save a sheet among the person's own.
    SaveSheet(Arc<Sheet>),
    /// Change or create a profile's file; answered by `handle_profile`.
    Profile {
        /// The number of the answer.
        number: CommandNumber,
        /// The name of a new one.
        name: String,
        /// The file; empty for a new one.
        origin: String,
        /// The change.
        act: ProfileAct,
    },
    /// Watch for programs that these rules match; answered by `handle_running`, at once and on every change.
    WatchGames {
        /// The number of the answer.
        round: u32,
        /// The rules; without any, watching stops.
        rules: Vec<GameRule>,
    },
    /// Save or delete a rule for a game; answered by `handle_rule`.
    Rule {
        /// The number of the answer.
        number: CommandNumber,
        /// The change.
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
    /// Its urgency.
    pub mark: Mark,
    /// What happened.
    pub text: String,
}
