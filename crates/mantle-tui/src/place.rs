//! The place where keys are pressed: a mode, a conversation, the hand, or the view.

use crate::app::App;
use crate::keys::Place;
use crate::rows::View;
use mantle_talk::CalibrationPhase;

impl App {
    /// The place where keys are pressed now.
    pub(crate) fn place(&self) -> Place {
        self.mode.place().unwrap_or_else(|| self.place_below())
    }

    /// The place once any mode over it is closed: a conversation, the hand, or the view.
    pub(crate) fn place_below(&self) -> Place {
        let hand = self.hand.as_ref().map(|_| Place::Hand);
        self.conversation().or(hand).unwrap_or_else(|| self.view_place())
    }

    /// A conversation with the engine, which keeps the keys to itself.
    fn conversation(&self) -> Option<Place> {
        if self.snapshot.finding.is_some() {
            return Some(Place::Finding);
        }
        if let Some(view) = self.calibrating() {
            let proposes = view.phase == CalibrationPhase::Proposal;
            return Some(if proposes { Place::Calibrated } else { Place::Calibrating });
        }
        if let Some(view) = self.calling() {
            return Some(match (view.target, &view.question) {
                (None, _) => Place::Called,
                (_, Some(_)) => Place::CallingUsed,
                _ => Place::Calling,
            });
        }
        let feels = self.felt().is_some_and(|felt| felt.measuring.is_some() || felt.walking.is_some());
        feels.then_some(Place::Feeling)
    }

    /// The place of the open view.
    pub(crate) fn view_place(&self) -> Place {
        match self.view {
            View::Board => Place::Board,
            View::Stage if self.felt_slot().is_some() => Place::Feel,
            View::Stage if self.tried_slot().is_some() => Place::Pad,
            View::Stage if self.bound_slot().is_some() => Place::Bindings,
            View::Stage if self.stage == mantle_talk::Stage::Games => Place::Games,
            View::Stage => Place::Stage,
            View::Journal => Place::Journal,
            View::Profiles => Place::Profiles,
        }
    }
}
