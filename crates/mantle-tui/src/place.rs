//! Where keys are pressed: what lies over everything, a conversation, the hand, or a view.

use crate::app::App;
use crate::keys::Place;
use crate::rows::View;
use mantle_talk::CalibrationPhase;

impl App {
    /// Where keys are pressed now.
    pub(crate) fn place(&self) -> Place {
        self.mode.place().unwrap_or_else(|| self.place_below())
    }

    /// Where keys are pressed once what lies over it is closed: a conversation, the hand, or the view.
    pub(crate) fn place_below(&self) -> Place {
        let hand = self.hand.as_ref().map(|_| Place::Hand);
        self.conversation().or(hand).unwrap_or_else(|| self.view_place())
    }

    /// What is being talked about, which keeps the keys to itself.
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

    /// The view that is open.
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
