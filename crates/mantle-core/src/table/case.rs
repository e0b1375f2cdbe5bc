//! What a case needs to know about a table.

use super::Table;
use crate::sheet::Sheet;
use std::sync::Arc;

impl Table {
    /// Faults of the machine that stay, each in a sentence.
    #[must_use]
    pub fn notices(&self) -> &[String] {
        &self.notices
    }

    /// The sheets that are known.
    #[must_use]
    pub fn sheets(&self) -> &[Arc<Sheet>] {
        &self.sheets
    }

    /// Seconds from the beginning of 1970 to moment 0, if that is known.
    #[must_use]
    pub fn began(&self) -> Option<u64> {
        self.began
    }

    /// Whether devices are covered while they play.
    #[must_use]
    pub fn covers(&self) -> bool {
        self.covers
    }
}
