//! What is chosen in the Profiles view.

use crate::rows::View;

/// The choices of the Profiles view.
#[derive(Clone, Debug)]
pub struct ChosenProfile {
    /// The chosen profile and the one it is compared with, by name.
    pub chosen: String,
    pub against: String,
    /// Number of differences scrolled past.
    pub scroll: usize,
    /// The view to return to.
    pub back: View,
    /// Index of the chosen profile.
    pub at: usize,
    /// The profiles that existed before one was made; the new one gets chosen.
    pub known: Option<Vec<String>>,
}

impl Default for ChosenProfile {
    fn default() -> Self {
        let (chosen, against) = Default::default();
        Self { chosen, against, scroll: 0, back: View::Board, at: 0, known: None }
    }
}
