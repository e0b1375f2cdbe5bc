//! Offers: what can be chosen instead of typed, in a list that narrows with the text.

use crate::keys::Intent;
use mantle_talk::{KeyTarget, Target, TargetBlock};

/// Lists files to open: those in a directory with one of these endings, and its subdirectories. Each with
/// the text to type for it and a note.
pub type Files = fn(directory: &str, endings: &[&str]) -> Vec<(String, String)>;

/// What choosing an offer means.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Offered {
    /// Its text, as if typed.
    Text,
    /// A directory; its contents are offered next.
    Directory,
    /// A control of a device, or a part of one, as profiles write it.
    Source(String),
    /// No source.
    Nothing,
    /// Four sources: up, down, left, right.
    Block([String; 4]),
    /// A key or mouse action.
    Key(KeyTarget),
    /// Several keys or directions at once.
    Keys(TargetBlock),
    /// A control of the pad.
    Target(Target),
    /// A command, as its key gives it.
    Order(Intent),
}

/// An offer.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Offer {
    /// Its name.
    pub text: String,
    /// A note.
    pub note: String,
    /// Other names for it.
    pub also: String,
    /// What choosing it means.
    pub means: Offered,
}

impl Offer {
    /// An offer whose text is its name.
    pub fn new(text: impl Into<String>, note: impl Into<String>, means: Offered) -> Self {
        Self { text: text.into(), note: note.into(), also: String::new(), means }
    }

    /// The last part of a path.
    fn file_name(&self) -> &str {
        self.text.trim_end_matches('/').rsplit('/').next().unwrap_or(&self.text)
    }

    /// How well it, by this name, fits the typed text; lower is better, none means not at all.
    fn rank(&self, name: &str, typed: &str) -> Option<u8> {
        if typed.is_empty() {
            return Some(0);
        }
        let (text, also) = (name.to_lowercase(), self.also.to_lowercase());
        let whole = |text: &str| {
            let mut words = text.split([' ', '/', ',']);
            typed.split(' ').all(|word| words.any(|own| own == word))
        };
        // The initials of its words: rsu for right stick up.
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

/// Indexes of the offers that fit, best first; equals keep their order.
pub fn narrowed(offers: &[Offer], typed: &str) -> Vec<usize> {
    narrowed_by(offers, typed, |offer| &offer.text)
}

/// The same for paths, of which only the last part counts: the directories above it are the same for all of its neighbours.
pub fn narrowed_paths(offers: &[Offer], typed: &str) -> Vec<usize> {
    narrowed_by(offers, typed, Offer::file_name)
}

fn narrowed_by(offers: &[Offer], typed: &str, name: impl Fn(&Offer) -> &str) -> Vec<usize> {
    let typed = typed.trim().to_lowercase();
    let mut fit: Vec<(u8, usize)> =
        offers.iter().enumerate().filter_map(|(at, offer)| Some((offer.rank(name(offer), &typed)?, at))).collect();
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
    fn paths_narrow_by_their_last_part() {
        let paths = ["/home/wren/tests/", "/home/wren/well.hid", "~/wall/", "~/awl.hid"];
        let offers: Vec<Offer> = paths.iter().map(|path| Offer::new(*path, "", Offered::Text)).collect();
        let fits = |typed: &str| narrowed_paths(&offers, typed).into_iter().map(|at| paths[at]).collect::<Vec<&str>>();
        assert_eq!(fits("w"), ["/home/wren/well.hid", "~/wall/", "~/awl.hid"]);
        assert_eq!(fits("wren"), [""; 0]);
        assert_eq!(fits(""), paths);
    }

    #[test]
    fn the_list_narrows_with_the_best_match_first() {
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
