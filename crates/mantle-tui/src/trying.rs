//! Helps to assign controls inside a game, from the Pad view.

use crate::app::App;
use crate::keys::PadKey;
use crate::rows::{Row, Then, View};
use mantle_talk::{Command, Detail, HelpView, LampChoice, Paper, SlotNumber, Stage};

/// The steps of rumble strength in percent, strongest first.
const STRENGTHS: [u8; 6] = [150, 100, 75, 50, 25, 0];
/// The lamp colour that is offered; `placid-mantle lamp` takes any other.
const OWN_COLOUR: [u8; 3] = [255, 180, 80];

impl App {
    /// The slot whose pad is shown.
    pub(crate) fn tried_slot(&self) -> Option<SlotNumber> {
        self.slot_at(Stage::Pad)
    }

    /// The slot shown at this stage.
    pub(crate) fn slot_at(&self, stage: Stage) -> Option<SlotNumber> {
        match self.row {
            Some(Row::Slot(slot)) if self.view == View::Stage && self.stage == stage => Some(slot),
            _ => None,
        }
    }

    /// What of the shown view can be exported.
    pub(crate) fn paper(&self) -> Option<Paper> {
        // Right after a move, the detail still belongs to the previous slot.
        let known = match &self.snapshot.detail {
            Detail::Slot(slot) => Some(slot.number),
            _ => None,
        };
        let seen = |slot: Option<SlotNumber>, paper| slot.filter(|slot| known == Some(*slot)).map(|_| paper);
        seen(self.bound_slot(), Paper::Card)
            .or_else(|| seen(self.felt_slot(), Paper::Curves))
            .or_else(|| seen(self.tried_slot(), Paper::Results))
            .or_else(|| seen(self.slot_at(Stage::Reports), Paper::Delay))
            .or_else(|| seen(self.slot_at(Stage::Controls), Paper::Ranges))
            .or_else(|| seen(self.slot_at(Stage::Device), Paper::Report))
            .or_else(|| seen(self.slot_row().filter(|_| self.view == View::Board).map(|row| row.number), Paper::Card))
    }

    /// Starts trying the shown pad, and stops trying any other.
    pub(crate) fn try_seen_pad(&mut self) {
        let wanted = self.tried_slot();
        if wanted != self.tried {
            self.tried = wanted;
            self.command(Command::TryPad { slot: wanted, again: false }, Then::Nothing);
        }
    }

    /// Whether the shown slot's devices have motors and lamps.
    pub(crate) fn shows(&self) -> (bool, bool) {
        match &self.snapshot.detail {
            Detail::Slot(slot) => slot.shows,
            _ => (false, false),
        }
    }

    fn helping(&self) -> Option<&HelpView> {
        match &self.snapshot.detail {
            Detail::Slot(slot) => slot.helping.as_ref(),
            _ => None,
        }
    }

    pub(crate) fn handle_pad(&mut self, wanted: PadKey) {
        let Some(slot) = self.tried_slot() else {
            self.message = Some("presses are sent from the Pad view: P".into());
            return;
        };
        let target = self.target().pad();
        match (wanted, target) {
            (PadKey::Next, _) => self.step_target(true),
            (PadKey::Before, _) => self.step_target(false),
            (PadKey::Again, _) => self.command(Command::TryPad { slot: Some(slot), again: true }, Then::Nothing),
            (PadKey::Rumble | PadKey::Lamp, _) => self.change_feedback(slot, wanted == PadKey::Rumble),
            (PadKey::Only | PadKey::Press, None) => {
                self.message = Some("this is typed, not a control of a pad: press it on the device".into());
            }
            (PadKey::Only, Some(target)) => {
                let same = self.helping().is_some_and(|help| help.only && help.target == target);
                self.helped = (!same).then_some(slot);
                self.command(Command::SendOnly { slot, target: (!same).then_some(target) }, Then::Nothing);
            }
            (PadKey::Press, Some(target)) => self.command(Command::PressFor { slot, target }, Then::Nothing),
        }
    }

    /// Steps the strength of rumble, or what the lamps show.
    fn change_feedback(&mut self, slot: SlotNumber, rumble: bool) {
        let Some(row) = self.slot_row() else { return };
        let mut feedback = row.feedback;
        if rumble {
            feedback.rumble = STRENGTHS.into_iter().find(|one| *one < feedback.rumble).unwrap_or(STRENGTHS[0]);
        } else {
            feedback.lamp = match feedback.lamp {
                LampChoice::Slot => LampChoice::Colour(OWN_COLOUR),
                LampChoice::Colour(_) => LampChoice::Battery,
                LampChoice::Battery => LampChoice::Off,
                LampChoice::Off => LampChoice::Slot,
            };
        }
        self.command(Command::SetFeedback { slot, feedback }, Then::Nothing);
    }

    /// Leaving the view sends everything again.
    pub(crate) fn send_all_again(&mut self) {
        if let Some(slot) = self.helped.filter(|slot| self.tried_slot() != Some(*slot)) {
            self.helped = None;
            self.command(Command::SendOnly { slot, target: None }, Then::Nothing);
        }
    }
}
