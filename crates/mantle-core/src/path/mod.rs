//! The path of a press: seven stages, the state of each for a slot, and the one sentence.

mod facts;
mod news_kind;
mod seen_words;
mod table_words;
mod troubles;
mod words;

pub use facts::{
    Ailing, KeptOut, Lost, MadePad, MemberFacts, PadCondition, PadFault, PressFacts, ProfileFacts, ReportsFault, Shut,
    SlotFacts, StaysBare,
};
pub use news_kind::{Limits, NewsKind};
pub use table_words::{Slotless, TableFacts, sentences, sentences_with};
pub use words::{Looked, Mark, Mend, Proposal, Sentence, as_sentence, not_opened, slot_sentence};

use serde::{Deserialize, Serialize};

/// The stages, in the order of the signal.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default, Serialize, Deserialize)]
#[repr(u8)]
pub enum Stage {
    /// The physical thing and its nodes.
    #[default]
    Device,
    /// The bytes it sends.
    Reports,
    /// What they mean.
    Controls,
    /// What plays what.
    Bindings,
    /// Dead zones and curves.
    Feel,
    /// The virtual pad.
    Pad,
    /// What games see.
    Games,
}

impl Stage {
    /// Number of stages.
    pub const COUNT: usize = 7;
    /// All, in order.
    pub const ALL: [Self; Self::COUNT] =
        [Self::Device, Self::Reports, Self::Controls, Self::Bindings, Self::Feel, Self::Pad, Self::Games];

    /// Its name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Device => "Device",
            Self::Reports => "Reports",
            Self::Controls => "Controls",
            Self::Bindings => "Bindings",
            Self::Feel => "Feel",
            Self::Pad => "Pad",
            Self::Games => "Games",
        }
    }
}

/// How far a press gets at one stage.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub enum StageState {
    /// Nothing has come yet: a hint, not a fault.
    Untried,
    /// It passes.
    Passing,
    /// It passes, but something wants attention.
    Doubtful,
    /// Something arrived, or should have, and does not leave.
    Stopped,
    /// The device is gone; its place is kept.
    Kept,
}

/// The states of a slot's seven stages, from facts alone. After a stage that stops, nothing is known, so the rest is untried.
#[must_use]
pub fn stages(facts: &SlotFacts) -> [StageState; Stage::COUNT] {
    states_by(facts, &troubles::doubts(facts))
}

/// The same, with the slot's troubles already known.
fn states_by(facts: &SlotFacts, doubts: &[Sentence]) -> [StageState; Stage::COUNT] {
    use StageState::{Doubtful, Kept, Passing, Stopped, Untried};
    let mut out = [Untried; Stage::COUNT];
    if facts.all_gone() {
        return [Kept; Stage::COUNT];
    }
    // Without a pad, bindings go straight to the keyboard and the mouse.
    let keys_play = facts.pad == PadCondition::Unwanted && facts.bindings_passed > 0;
    let troubles = |stage: Stage| doubts.iter().any(|doubt| doubt.stage == Some(stage) && doubt.mark == Mark::Doubt);
    let own = [
        match facts.refused() {
            Some((member, _)) if facts.others_play(member) => Doubtful,
            Some(_) => Stopped,
            None if troubles(Stage::Device) => Doubtful,
            None => Passing,
        },
        if let Some((member, _)) = facts.reports_fault() {
            if facts.others_play(member) { Doubtful } else { Stopped }
        } else if facts.is_silent() {
            Stopped
        } else if troubles(Stage::Reports) {
            Doubtful
        } else if facts.reports == 0 {
            Untried
        } else {
            Passing
        },
        if facts.controls == 0 {
            Stopped
        } else if troubles(Stage::Controls) {
            Doubtful
        } else if !facts.moved && facts.bindings_passed == 0 {
            Untried
        } else {
            Passing
        },
        if facts.bound == 0 && !facts.strokes {
            Stopped
        } else if troubles(Stage::Bindings) {
            Doubtful
        } else if facts.bindings_passed == 0 {
            Untried
        } else {
            Passing
        },
        if facts.paused {
            Stopped
        } else if troubles(Stage::Feel) {
            Doubtful
        } else if facts.feel_passed == 0 && !keys_play {
            Untried
        } else {
            Passing
        },
        match &facts.pad {
            PadCondition::Fault(_) => Stopped,
            PadCondition::Making => Untried,
            PadCondition::Made if troubles(Stage::Pad) => Doubtful,
            PadCondition::Made if facts.pad_passed == 0 => Untried,
            PadCondition::Unwanted if !keys_play => Untried,
            PadCondition::Made | PadCondition::Unwanted => Passing,
        },
        if facts.doubtful_cover().is_some() || troubles(Stage::Games) {
            Doubtful
        } else if facts.pad_passed == 0 && !keys_play {
            Untried
        } else {
            Passing
        },
    ];
    for (place, state) in out.iter_mut().zip(own) {
        *place = state;
        if state == Stopped {
            break;
        }
    }
    // A pad that cannot be made is known without a press, and so is one that is ready.
    if matches!(facts.pad, PadCondition::Fault(_)) {
        out[Stage::Pad as usize] = Stopped;
        out[Stage::Games as usize] = Untried;
    }
    out
}

/// The first stage at which a press stops.
#[must_use]
pub fn stops_at(states: &[StageState; Stage::COUNT]) -> Option<Stage> {
    Stage::ALL.into_iter().find(|stage| states[*stage as usize] == StageState::Stopped)
}

#[cfg(test)]
mod tests;
