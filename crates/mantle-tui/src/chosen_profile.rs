//! What is chosen in the Profiles view.

use crate::rows::View;

/// What is chosen there.
#[derive(Clone, Debug)]
pub struct ChosenProfile {
    /// The chosen profile, and the one that it is compared with, by name.
    pub chosen: String,
    pub against: String,
    /// Differences that are above the window.
    pub scroll: usize,
    /// The view that is come back to.
    pub back: View,
    /// The place of the chosen one.
    pub at: usize,
    /// The names that there were when another one was asked for: the one that comes is chosen.
    pub known: Option<Vec<String>>,
}

impl Default for ChosenProfile {
    fn default() -> Self {
        let (chosen, against) = Default::default();
        Self { chosen, against, scroll: 0, back: View::Board, at: 0, known: None }
    }
}
