//! The places where keys are pressed.

/// A place where keys are pressed.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Place {
    /// The board.
    Board,
    /// A stage view.
    Stage,
    /// The journal.
    Journal,
    /// The Profiles view.
    Profiles,
    /// Choosing a slot.
    Choose,
    /// Choosing a kind of pad for a slot.
    Kind,
    /// Choosing one of a player's devices.
    Members,
    /// The question before leaving.
    Question,
    /// The question before a case file is written.
    Case,
    /// Readiness.
    Readiness,
    /// The Connect view.
    Connect,
    /// Typing a code or a name in the Connect view.
    ConnectTyping,
    /// The help page.
    Help,
    /// The page that explains the view.
    Guide,
    /// Typing a line.
    Typing,
    /// Listening for a press.
    Listening,
    /// The Bindings view of a slot.
    Bindings,
    /// The Pad view of a slot.
    Pad,
    /// The Games view.
    Games,
    /// The Feel view.
    Feel,
    /// Measuring, or raising the output, in the Feel view.
    Feeling,
    /// A running calibration.
    Calibrating,
    /// A calibration's proposal.
    Calibrated,
    /// A running roll call.
    Calling,
    /// A roll call asks about a control that is already used.
    CallingUsed,
    /// A finished roll call.
    Called,
    /// The question about a source that was taken from another target.
    Swap,
    /// A device in hand.
    Hand,
    /// Finding fields.
    Finding,
}

impl Place {
    /// Whether keys without another meaning move the device in hand.
    #[must_use]
    pub fn has_hand(self) -> bool {
        matches!(
            self,
            Self::Hand | Self::Listening | Self::Calling | Self::CallingUsed | Self::Calibrating | Self::Feeling
        )
    }
}
