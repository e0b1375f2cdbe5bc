//! The key table of every place, from which hints, help and the meaning of keys come.

use crate::keys::{Intent, Key, Place, of_view};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// The keys of a place.
#[must_use]
pub fn table(place: Place) -> Vec<Key> {
    if place == Place::Games {
        return crate::game_keys::keys();
    }
    crate::mode::keys(place).unwrap_or_else(|| of_view(place))
}

/// The intent of a key in a place. Ctrl-C always leaves.
#[must_use]
pub fn intent(place: Place, event: &KeyEvent) -> Option<Intent> {
    if event.modifiers.contains(KeyModifiers::CONTROL) {
        return (event.code == KeyCode::Char('c')).then_some(Intent::QuitNow);
    }
    table(place).into_iter().find(|key| key.code == event.code).map(|key| key.intent)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_has_two_meanings_in_one_view() {
        use Place::{
            Board, Calibrated, Calibrating, Called, Calling, CallingUsed, Choose, Finding, Hand, Help, Journal,
        };
        use Place::{Listening, Question, Stage, Swap, Typing};
        let talks = [
            Place::Bindings,
            Place::Profiles,
            Place::Members,
            Place::Case,
            Place::Pad,
            Place::Games,
            Place::Feel,
            Place::Feeling,
            Calling,
            CallingUsed,
            Called,
            Calibrating,
            Calibrated,
        ];
        let places =
            [Board, Stage, Journal, Choose, Place::Kind, Question, Help, Typing, Listening, Swap, Hand, Finding];
        for place in places.into_iter().chain(talks) {
            let keys = table(place);
            for (index, key) in keys.iter().enumerate() {
                assert!(
                    keys[..index].iter().all(|other| other.code != key.code),
                    "{place:?}: {} stands twice",
                    key.label
                );
            }
        }
    }
}
