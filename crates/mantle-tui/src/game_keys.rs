//! The keys of the Games view.

use crate::intents::RuleKey;
use crate::keys::{Intent, Key, key, letter, stage_view};
use ratatui::crossterm::event::KeyCode;

/// Keys that make rules for games.
const GAMES: [Key; 3] = [
    letter('a', "a", Intent::Rule(RuleKey::Use), "use it for this program", true),
    letter('z', "z", Intent::Rule(RuleKey::StayOut), "stay out of this program", true),
    key(KeyCode::Delete, "Del", Intent::Rule(RuleKey::Drop), "delete its rule", true),
];

/// All keys of the view.
pub(crate) fn keys() -> Vec<Key> {
    let mut keys = Vec::new();
    stage_view(&mut keys, GAMES);
    keys
}
