//! The places where keys are pressed.

/// Where keys are pressed.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Place {
    /// The board.
    Board,
    /// A stage's view.
    Stage,
    /// The journal.
    Journal,
    /// The profiles.
    Profiles,
    /// Placing or moving.
    Choose,
    /// Another kind of pad is chosen for a slot.
    Kind,
    /// One of a player's devices is chosen.
    Members,
    /// The question before leaving.
    Question,
    /// What stands in the way of play.
    Readiness,
    /// A device is connected.
    Connect,
    /// A code or a name is typed meanwhile.
    ConnectTyping,
    /// The help page.
    Help,
    /// What the view is for, as a page.
    Guide,
    /// A line is being typed.
    Typing,
    /// A press is listened for.
    Listening,
    /// The Bindings view of a slot.
    Bindings,
    /// The Pad view of a slot.
    Pad,
    /// The Games view.
    Games,
    /// The Feel view.
    Feel,
    /// Something is measured or walked up there.
    Feeling,
    /// A calibration goes on.
    Calibrating,
    /// It has come to a proposal.
    Calibrated,
    /// A roll call goes on.
    Calling,
    /// It asks what becomes of a control that plays something already.
    CallingUsed,
    /// It is over.
    Called,
    /// A source plays another target already.
    Swap,
    /// A device in hand.
    Hand,
    /// Fields are being found.
    Finding,
}

impl Place {
    /// Whether keys that mean nothing else move the device in hand.
    #[must_use]
    pub fn has_hand(self) -> bool {
        matches!(
            self,
            Self::Hand | Self::Listening | Self::Calling | Self::CallingUsed | Self::Calibrating | Self::Feeling
        )
    }
}
