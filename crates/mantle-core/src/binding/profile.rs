//! A profile, understood: rules that say what plays what, in layers, and how it feels.

use super::{Leave, Target};
use crate::feel::Feel;
use crate::keys::{KeyTarget, Pace};
use crate::pad::PadKind;
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// Layers that a profile has beside its base.
pub const LAYERS: usize = 4;

/// Which state of a control is meant, where more than one could be.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Part {
    /// The whole travel, from the lower end.
    Whole,
    /// The half of an axis below its middle.
    LowerHalf,
    /// The half of an axis above its middle.
    UpperHalf,
    /// A hat's direction.
    Up,
    /// A hat's direction.
    Down,
    /// A hat's direction.
    Left,
    /// A hat's direction.
    Right,
}

impl Part {
    /// All of them, as they are written.
    pub const ALL: [(&'static str, Self); 7] = [
        ("whole", Self::Whole),
        ("lower half", Self::LowerHalf),
        ("upper half", Self::UpperHalf),
        ("up", Self::Up),
        ("down", Self::Down),
        ("left", Self::Left),
        ("right", Self::Right),
    ];

    /// As it is written.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, part)| *part == self).map_or("", |(word, _)| word)
    }
}

/// A control by its name, and which state of it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Named {
    /// The control's name, as the device's layout gives it.
    pub control: String,
    /// Which state; none where the control has only one, or where it follows from the target.
    pub part: Option<Part>,
}

impl Named {
    /// A name as it is written: the control, perhaps a part behind it.
    #[must_use]
    pub fn parse(text: &str) -> Self {
        let text = text.trim();
        for (word, part) in Part::ALL {
            if let Some(control) = text.strip_suffix(word).filter(|control| control.ends_with(' '))
                && !control.trim().is_empty()
            {
                return Self { control: control.trim().into(), part: Some(part) };
            }
        }
        Self { control: text.into(), part: None }
    }

    /// As it is written.
    #[must_use]
    pub fn text(&self) -> String {
        match self.part {
            Some(part) => format!("{} {}", self.control, part.word()),
            None => self.control.clone(),
        }
    }
}

/// How a source plays its target, beyond the plain.
#[derive(Clone, PartialEq, Debug)]
pub struct Options {
    /// What is full is rest, and the other way around.
    pub inverted: bool,
    /// From this share of its travel on it counts as pressed, and below the second one no longer. None where the target
    /// takes a travel and the source has one: then it is passed on as it is.
    pub press: Option<(f32, f32)>,
    /// Both more than none: the source's share times this, up to full.
    pub sensitivity: f32,
    /// How long a button takes to bring a target that takes a travel from rest to full, and back.
    pub ramp: Micros,
    /// Each press turns it on or off.
    pub toggle: bool,
    /// A press lasts at least this long.
    pub shortest: Micros,
    /// It is pressed so many times a second while it is held.
    pub again: Option<f32>,
    /// Each press plays this once while it is held: pressed, let go, pressed and so on, for so long each.
    pub row: Vec<Micros>,
    /// Only while all of these are held as well.
    pub with: Vec<Named>,
    /// Of what counts: so many counts within the spring's time are a full deflection. Of what draws the pointer: its
    /// counts for the way across the surface, or a second at the end of motion.
    pub reach: Option<f32>,
    /// Of what counts: the time of the spring that brings it back; 0 if it stays where it was left.
    pub spring: Option<Micros>,
    /// Of what counts: what brings it to its middle.
    pub centre: Option<Named>,
    /// Of a position: what becomes of it when the surface is left.
    pub leave: Leave,
    /// Below this share of its travel it gives nothing; what is above counts from there.
    pub threshold: f32,
    /// It counts only when it is let go again within this time, and nothing has been drawn meanwhile; 0 if it always counts.
    pub tap: Micros,
    /// It counts only where the finger on the surface is within these edges as it goes down: left, upper, right, lower, as
    /// shares of the surface. What the same control plays elsewhere is not played there.
    pub region: Option<[f32; 4]>,
}

/// Where a travel counts as pressed, and as let go, where a profile does not say.
pub const PRESS: (f32, f32) = (0.5, 0.4);

impl Default for Options {
    fn default() -> Self {
        Self {
            inverted: false,
            press: None,
            sensitivity: 1.0,
            ramp: Micros(0),
            toggle: false,
            shortest: Micros(0),
            again: None,
            row: Vec::new(),
            with: Vec::new(),
            reach: None,
            spring: None,
            centre: None,
            leave: Leave::Centre,
            threshold: 0.0,
            tap: Micros(0),
            region: None,
        }
    }
}

/// One rule: target ← source.
#[derive(Clone, PartialEq, Debug)]
pub struct Rule {
    /// What is played.
    pub target: Target,
    /// What plays it; none if nothing shall, not even what would unasked.
    pub source: Option<Named>,
    /// The layer: 0 is the base, the others count from 1.
    pub layer: usize,
    /// The line of the file that it begins on.
    pub line: u32,
    /// How.
    pub options: Options,
}

/// A second set of rules, while something is held.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Layer {
    /// Its name.
    pub name: String,
    /// What is held for it.
    pub hold: Named,
    /// Whether each press of that turns it on or off instead.
    pub toggle: bool,
}

/// What several sources of one target give together.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Combine {
    /// The largest.
    #[default]
    Largest,
    /// All of them added, up to full.
    Sum,
    /// The one that left its rest last.
    Last,
}

/// What opposite directions give together.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Opposite {
    /// What is left of one when the other is taken from it: of equals nothing.
    #[default]
    Neutral,
    /// The one that left its rest last.
    Last,
}

/// A profile.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Profile {
    /// Its name.
    pub name: String,
    /// Where it stands, for the person; empty if it is no file.
    pub origin: String,
    /// Whether what it says nothing about plays as it would without it.
    pub defaults: bool,
    /// Layers beside the base, at most [`LAYERS`]. Of several that are on, the last one comes first.
    pub layers: Vec<Layer>,
    /// Its rules, in the order of the file.
    pub rules: Vec<Rule>,
    /// Targets whose sources are combined in another way than the largest.
    pub combine: Vec<(Target, Combine)>,
    /// Opposite directions.
    pub opposite: Opposite,
    /// Degrees by which the left and the right stick are turned, clockwise.
    pub turn: [f32; 2],
    /// Its feel.
    pub feel: Feel,
    /// How the pointer and the wheel move.
    pub pace: Pace,
    /// What the person calls what a target does.
    pub actions: Vec<(Target, String)>,
    /// What games print for a target.
    pub prompts: Vec<(Target, String)>,
    /// Notes to oneself.
    pub notes: String,
    /// For which kinds of pad it is, by their names, where it says so itself.
    pub said_kinds: Vec<String>,
}

impl Profile {
    /// A layer by its place in rules, from 1; the base, 0, is none.
    #[must_use]
    pub fn layer(&self, place: usize) -> Option<&Layer> {
        self.layers.get(place.checked_sub(1)?)
    }

    /// One that says nothing: everything plays as it does unasked.
    #[must_use]
    pub fn plain(name: &str, feel: Feel) -> Self {
        Self { name: name.into(), defaults: true, feel, ..Self::default() }
    }

    /// For which kinds of pad it is: those that it names, or else those that can have everything that it plays. One that mixes what
    /// no kind has together is for none more than for another: for all.
    #[must_use]
    pub fn kinds(&self) -> Vec<&'static str> {
        let widest = PadKind::widest();
        let said = |kind: &PadKind| self.said_kinds.iter().any(|name| name == kind.name());
        if widest.iter().any(said) {
            return widest.into_iter().filter(said).map(|kind| kind.shipped_name()).collect();
        }
        let played = || self.rules.iter().filter(|rule| rule.source.is_some() && !rule.target.is_key());
        let has_all = |kind: &PadKind| {
            let model = kind.model();
            played().all(|rule| rule.target.is_on(&model))
        };
        // What is for keys alone has no pad to play, but what plays no pad may be for any.
        let fit: Vec<&str> = widest.into_iter().filter(has_all).map(|kind| kind.shipped_name()).collect();
        if fit.is_empty() { PadKind::widest().map(|kind| kind.shipped_name()).to_vec() } else { fit }
    }

    /// What it plays beside the pad, in the order of [`KeyTarget::all`].
    #[must_use]
    pub fn strokes(&self) -> Vec<KeyTarget> {
        let mut strokes: Vec<KeyTarget> = self
            .rules
            .iter()
            .filter_map(|rule| match rule.target {
                Target::Key(stroke) if rule.source.is_some() => Some(stroke),
                _ => None,
            })
            .collect();
        strokes.sort();
        strokes.dedup();
        strokes
    }

    /// How the sources of a target are combined.
    #[must_use]
    pub fn combine_of(&self, target: Target) -> Combine {
        self.combine.iter().find(|(own, _)| *own == target).map_or(Combine::Largest, |(_, combine)| *combine)
    }

    /// Whether it plays exactly like another one, whatever they are called, feel like and have in which line.
    #[must_use]
    pub fn plays_like(&self, other: &Self) -> bool {
        let rule = |rule: &Rule| Rule { line: 0, ..rule.clone() };
        let same = |one: &Self, other: &Self| {
            (one.defaults, &one.layers, &one.combine, one.opposite, one.turn)
                == (other.defaults, &other.layers, &other.combine, other.opposite, other.turn)
        };
        same(self, other)
            && self.rules.len() == other.rules.len()
            && self.rules.iter().zip(&other.rules).all(|(one, other)| rule(one) == rule(other))
    }

    /// What the person calls a target.
    #[must_use]
    pub fn action(&self, target: Target) -> Option<&str> {
        self.actions.iter().find(|(own, _)| *own == target).map(|(_, name)| name.as_str())
    }

    /// What games print for a target.
    #[must_use]
    pub fn prompt(&self, target: Target) -> Option<&str> {
        self.prompts.iter().find(|(own, _)| *own == target).map(|(_, words)| words.as_str())
    }
}
