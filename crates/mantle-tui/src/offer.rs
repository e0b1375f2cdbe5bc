//! What may be chosen instead of being typed: a list that narrows with what is typed.

use crate::keys::Intent;
use mantle_talk::{KeyTarget, Target, TargetBlock};

/// Files that could be opened: what stands in a directory and ends with one of these endings, and the directories in it. Each with
/// what to type for it, and a note.
pub type Files = fn(directory: &str, endings: &[&str]) -> Vec<(String, String)>;

/// What choosing an offer means.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Offered {
    /// Its text, as if it had been typed.
    Text,
    /// A directory: what is in it is offered next.
    Directory,
    /// A control of a device, or a part of it, as profiles write it.
    Source(String),
    /// That nothing plays it.
    Nothing,
    /// Four of them: up, down, left, right.
    Block([String; 4]),
    /// A key, or something of the mouse.
    Key(KeyTarget),
    /// Keys that lie together, or the pointer's directions.
    Keys(TargetBlock),
    /// A control of the pad.
    Target(Target),
    /// An order, as its key gives it.
    Order(Intent),
}

/// Something that may be chosen.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Offer {
    /// What it is called.
    pub text: String,
    /// More about it.
    pub note: String,
    /// What else it may be called.
    pub also: String,
    /// What choosing it means.
    pub means: Offered,
}

impl Offer {
    /// One that is what it is called.
    pub fn new(text: impl Into<String>, note: impl Into<String>, means: Offered) -> Self {
        Self { text: text.into(), note: note.into(), also: String::new(), means }
    }

    /// How well it fits what was typed, the lower the better; none if not at all.
    fn rank(&self, typed: &str) -> Option<u8> {
        if typed.is_empty() {
            return Some(0);
        }
        let (text, also) = (self.text.to_lowercase(), self.also.to_lowercase());
        let whole = |text: &str| {
            let mut words = text.split([' ', '/', ',']);
            typed.split(' ').all(|word| words.any(|own| own == word))
        };
        // The first letters of its words: rsu is the right stick up.
        let initials = || text.split([' ', '/', ',']).filter_map(|word| word.chars().next()).collect::<String>();
        if text == typed {
            Some(0)
        } else if text.starts_with(typed) && whole(&text) {
            Some(1)
        } else if whole(&text) || whole(&also) {
            Some(2)
        } else if text.starts_with(typed) || (typed.chars().count() > 1 && initials() == typed) {
            Some(3)
        } else if typed.split(' ').all(|word| text.contains(word) || also.contains(word)) {
            Some(4)
        } else {
            None
        }
    }
}

/// The places of those that fit what was typed, the best first, and among equals in their order.
pub fn narrowed(offers: &[Offer], typed: &str) -> Vec<usize> {
    let typed = typed.trim().to_lowercase();
    let mut fit: Vec<(u8, usize)> =
        offers.iter().enumerate().filter_map(|(at, offer)| Some((offer.rank(&typed)?, at))).collect();
    fit.sort_unstable();
    fit.into_iter().map(|(_, at)| at).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fits(typed: &str) -> Vec<&'static str> {
        let names = ["button 1", "button 4", "button 14", "hat up", "X upper half", "left trigger"];
        let also = ["", "", "", "", "axis 4", ""];
        let offers: Vec<Offer> = names
            .iter()
            .zip(also)
            .map(|(name, also)| Offer { also: also.into(), ..Offer::new(*name, "", Offered::Text) })
            .collect();
        narrowed(&offers, typed).into_iter().map(|at| names[at]).collect()
    }

    #[test]
    fn the_list_narrows_and_the_best_stands_first() {
        assert_eq!(fits("").len(), 6);
        assert_eq!(fits("4"), ["button 4", "X upper half", "button 14"]);
        assert_eq!(fits("14"), ["button 14"]);
        assert_eq!(fits("axis 4"), ["X upper half"]);
        assert_eq!(fits("UP"), ["hat up", "X upper half"]);
        assert_eq!(fits("up x"), ["X upper half"]);
        assert_eq!(fits("xuh"), ["X upper half"]);
        assert_eq!(fits("lt"), ["left trigger"]);
        assert!(fits("pedal").is_empty());
    }
}
