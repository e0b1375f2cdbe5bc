//! A roll call that goes on.

use crate::binding::Change;
use crate::rollcall::RollCall;
use crate::slot::SlotNumber;

/// A roll call, and what of it is not saved yet.
#[derive(Clone, Debug)]
pub struct Calling {
    /// The slot.
    pub slot: SlotNumber,
    /// What has been said.
    pub call: RollCall,
    /// Waits until what was changed before is saved: only then it is known where.
    pub pending: Vec<Change>,
}
