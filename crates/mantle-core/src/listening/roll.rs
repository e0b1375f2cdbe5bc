//! A running roll call.

use crate::binding::Change;
use crate::rollcall::RollCall;
use crate::slot::SlotNumber;

/// A roll call, and its unsaved changes.
#[derive(Clone, Debug)]
pub struct Calling {
    /// The slot.
    pub slot: SlotNumber,
    /// The call itself.
    pub call: RollCall,
    /// Waits until earlier changes are saved, since only then their place is known.
    pub pending: Vec<Change>,
}
