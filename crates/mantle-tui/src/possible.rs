//! Which intents are possible now; only their keys are shown.

use crate::app::App;
use crate::key_table;
use crate::keys::{Binding, Calibrate, FeelKey, Intent, Key, PadKey, Place, ProfilesKey, RuleKey};
use crate::mode::Mode;
use crate::rows::{Row, View};
use mantle_talk::{DeviceRow, Mend, Stage, block_of};

impl App {
    /// The keys that can be used below an open page.
    pub(crate) fn keys_of_use(&self) -> Vec<Key> {
        key_table::table(self.place_below()).into_iter().filter(|key| self.possible(key.intent)).collect()
    }

    /// The proposal while finding fields: where, whether it is certain, and why.
    fn proposal(&self) -> Option<&(Option<String>, bool, String)> {
        self.snapshot.finding.as_ref()?.proposal.as_ref()
    }

    /// Whether there is another player to tie to, or a device to untie.
    fn can_tie(&self) -> bool {
        let others = |device: &DeviceRow| self.snapshot.slots.iter().any(|row| Some(row.number) != device.slot);
        self.device().is_some_and(others) || self.slot_row().is_some_and(|row| row.names.len() > 1)
    }

    /// Whether an intent is possible now.
    pub(crate) fn possible(&self, intent: Intent) -> bool {
        match intent {
            Intent::PassOn => self.passing().is_some(),
            Intent::Keyboards => self.view == View::Stage && self.stage == Stage::Reports && self.on_keyboard(),
            Intent::Find | Intent::Record => {
                self.view == View::Stage && self.stage == Stage::Reports && self.device().is_some()
            }
            Intent::Accept => self.proposal().is_some_and(|(place, ..)| place.is_some()),
            Intent::Again => self.proposal().is_some(),
            Intent::Now => self.snapshot.finding.as_ref().is_some_and(|view| !view.done) && self.proposal().is_none(),
            Intent::Skip => self.snapshot.finding.as_ref().is_some_and(|view| !view.done),
            Intent::Before => self.snapshot.finding.as_ref().is_some_and(|view| view.at > 0),
            Intent::Tie => self.can_tie(),
            Intent::Place | Intent::LeaveToGame => self.device().is_some(),
            Intent::TakeInHand => self.snapshot.header.demo && self.playing().is_none() && self.device().is_some(),
            Intent::Freeze => self.view == View::Stage && self.stage == Stage::Reports && self.device().is_some(),
            Intent::Earlier | Intent::Later | Intent::MuchEarlier | Intent::MuchLater => self.frozen.is_some(),
            Intent::Pause | Intent::Step | Intent::Faster | Intent::Slower => self.playing().is_some(),
            Intent::CloseFile => self.device().is_some_and(|device| device.recorded),
            Intent::OpenFile => self.view == View::Board && self.place() == Place::Board,
            Intent::Paper => self.paper().is_some() || self.view == View::Journal,
            Intent::PauseSlot => matches!(self.row, Some(Row::Slot(_))),
            Intent::LetType => {
                self.types().is_some_and(|keys| !keys.not_agreed.is_empty() || keys.agreed) && self.view == View::Stage
            }
            Intent::TypeHere => self.types().is_some() && self.view == View::Stage,
            Intent::Move | Intent::TakeOut => matches!(self.row, Some(Row::Slot(_))),
            // A device without motors or lamps has nothing to choose.
            Intent::Pad(PadKey::Rumble) => self.tried_slot().is_some() && self.shows().0,
            Intent::Pad(PadKey::Lamp) => self.tried_slot().is_some() && self.shows().1,
            Intent::Pad(PadKey::Again) => self.tried_slot().is_some(),
            // Without a pad, nothing can be sent.
            Intent::Pad(_) => self.tried_slot().is_some() && !self.targets().is_empty(),
            Intent::Rule(RuleKey::Drop) => self.has_rule(),
            Intent::Rule(_) => self.chosen_program().is_some() && !self.snapshot.slots.is_empty(),
            Intent::Feel(FeelKey::Flip) => self.felt().is_some_and(|felt| felt.old.is_some()),
            Intent::Feel(FeelKey::Walk) => self.felt().is_some() && !self.shaped().is_trigger(),
            Intent::Feel(FeelKey::Leave) => true,
            Intent::Feel(FeelKey::Take) => self.felt().is_some_and(|felt| {
                let measured = felt.measuring.as_ref().is_some_and(|measure| measure.proposal.is_some());
                felt.walking.is_some() || measured
            }),
            Intent::Feel(_) => self.felt().is_some(),
            Intent::Calibrate(Calibrate::Forget) => self.is_calibrated(),
            Intent::Calibrate(Calibrate::Begin) if self.view == View::Board => self.device().is_some(),
            Intent::Calibrate(_) => self.seen_part().is_some(),
            Intent::Binding(Binding::NextLayer) => !self.layers().is_empty(),
            Intent::Binding(Binding::DropLayer | Binding::ToggleLayer) => !self.layer().is_empty(),
            Intent::Binding(
                Binding::NextOption
                | Binding::BeforeOption
                | Binding::More
                | Binding::Less
                | Binding::MuchMore
                | Binding::MuchLess
                | Binding::TypeOption,
            ) => self.chosen_options().is_some(),
            Intent::Binding(Binding::Block) => block_of(self.target()).is_some(),
            Intent::Profiles(wanted) => match wanted {
                ProfilesKey::Open | ProfilesKey::Import | ProfilesKey::Compare => true,
                ProfilesKey::PlayBy | ProfilesKey::New => matches!(self.row, Some(Row::Slot(_))),
                ProfilesKey::Later | ProfilesKey::Earlier => {
                    self.snapshot.shelf.as_ref().is_some_and(|shelf| shelf.count > 0)
                }
                ProfilesKey::Copy | ProfilesKey::Rename | ProfilesKey::Delete | ProfilesKey::Export => {
                    self.is_profile_a_file()
                }
            },
            Intent::Binding(_) | Intent::Call(_) => self.bound_slot().is_some(),
            Intent::Redo => self.snapshot.redo.is_some(),
            Intent::Undo => self.snapshot.undo.is_some(),
            Intent::ChooseKind => {
                let here = self.view == View::Stage && matches!(self.stage, Stage::Device | Stage::Pad);
                here && matches!(self.row, Some(Row::Slot(_)))
            }
            Intent::LetGo => !self.snapshot.slots.is_empty(),
            Intent::Mend => self.snapshot.sentences.iter().any(|sentence| sentence.mend.is_some()),
            Intent::Nickname | Intent::FindDevice => self.device().is_some(),
            Intent::SitDown => self.slotless().next().is_some() || self.snapshot.sitting.0,
            Intent::MendNow => {
                let told = self.told(self.walked.as_ref());
                told.is_some_and(|told| told.proposal.is_some() || told.mend == Some(Mend::Resume))
            }
            Intent::SwapSources => !matches!(&self.mode, Mode::Swap(swap) if swap.old.is_none()),
            Intent::Connecting(wanted) => self.can_connect(wanted),
            Intent::Open if self.place() == Place::Board => self.row.is_some(),
            _ => true,
        }
    }
}
