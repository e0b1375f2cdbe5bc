//! A profile: rules that say what plays what, in layers, and how it feels.

use super::{Face, Leave, Target};
use crate::feel::Feel;
use crate::keys::{KeyTarget, Pace};
use crate::pad::PadKind;
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// The most layers besides the base.
pub const LAYERS: usize = 4;

/// Which state of a control is meant, if it has several.
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
    /// All of them, as written.
    pub const ALL: [(&'static str, Self); 7] = [
        ("whole", Self::Whole),
        ("lower half", Self::LowerHalf),
        ("upper half", Self::UpperHalf),
        ("up", Self::Up),
        ("down", Self::Down),
        ("left", Self::Left),
        ("right", Self::Right),
    ];

    /// As written.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, part)| *part == self).map_or("", |(word, _)| word)
    }
}

/// A control by name, and which state of it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Named {
    /// The control's name, as the device's layout gives it.
    pub control: String,
    /// Which state; none if there is only one, or if it follows from the target.
    pub part: Option<Part>,
}

impl Named {
    /// Parses a source: a control's name, possibly with a suffix.
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

    /// As written.
    #[must_use]
    pub fn text(&self) -> String {
        match self.part {
            Some(part) => format!("{} {}", self.control, part.word()),
            None => self.control.clone(),
        }
    }
}

/// A source's options.
#[derive(Clone, PartialEq, Debug)]
pub struct Options {
    /// Inverted: full is rest.
    pub inverted: bool,
    /// The shares of travel from which it counts as pressed, and below which as released. None if the target
    /// takes a travel and the source has one; then it is passed on as it is.
    pub press: Option<(f32, f32)>,
    /// The factor for the share, up to full.
    pub sensitivity: f32,
    /// How long a button takes to move a travelling target from rest to full, and back.
    pub ramp: Micros,
    /// Presses toggle it.
    pub toggle: bool,
    /// The shortest press.
    pub shortest: Micros,
    /// Presses per second while it is held.
    pub again: Option<f32>,
    /// The row that each press plays while it is held: pressed, released, pressed, and so on, with these lengths.
    pub row: Vec<Micros>,
    /// Controls that must be held as well.
    pub with: Vec<Named>,
    /// For counts: how many within the spring's time are a full deflection. For a source that moves the pointer: its
    /// counts for the way across the surface, or per second at the end of motion.
    pub reach: Option<f32>,
    /// For counts: the spring's time; 0 if it stays where it was left.
    pub spring: Option<Micros>,
    /// For counts: what centres it.
    pub centre: Option<Named>,
    /// For a position: what happens when the surface is left.
    pub leave: Leave,
    /// The share of travel below which it gives nothing; the rest is scaled.
    pub threshold: f32,
    /// Counts only if released within this time, and if the pointer was not moved meanwhile; 0 if it always counts.
    pub tap: Micros,
    /// Counts only if the finger goes down within these edges: left, upper, right, lower, as
    /// shares of the surface. Outside them, the control's other bindings apply.
    pub region: Option<[f32; 4]>,
}

/// The default thresholds of a press and its release.
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
    /// The target.
    pub target: Target,
    /// The source; none if nothing shall play it, not even by default.
    pub source: Option<Named>,
    /// The layer; 0 is the base, others count from 1.
    pub layer: usize,
    /// The line of the file on which it begins.
    pub line: u32,
    /// The options.
    pub options: Options,
}

/// A layer: a second set of rules, while something is held.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Layer {
    /// Its name.
    pub name: String,
    /// The control that holds it.
    pub hold: Named,
    /// Whether presses toggle it instead.
    pub toggle: bool,
}

/// How several sources of one target combine.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum Combine {
    /// The largest.
    #[default]
    Largest,
    /// All added, up to full.
    Sum,
    /// The one that left its rest last.
    Last,
}

/// How opposite directions combine.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Opposite {
    /// Their difference; equals cancel out.
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
    /// Its file, for the person; empty if it has none.
    pub origin: String,
    /// Whether targets without a rule keep their default bindings.
    pub defaults: bool,
    /// Layers besides the base, at most [`LAYERS`]. If several are on, the last one comes first.
    pub layers: Vec<Layer>,
    /// Its rules, in the order of the file.
    pub rules: Vec<Rule>,
    /// Targets whose sources combine otherwise than by the largest.
    pub combine: Vec<(Target, Combine)>,
    /// Opposite directions.
    pub opposite: Opposite,
    /// Degrees by which the left and the right stick are turned clockwise.
    pub turn: [f32; 2],
    /// Its feel.
    pub feel: Feel,
    /// The speeds of pointer and wheel.
    pub pace: Pace,
    /// Names of what targets do in the game.
    pub actions: Vec<(Target, String)>,
    /// What games print for targets.
    pub prompts: Vec<(Target, String)>,
    /// The person's notes.
    pub notes: String,
    /// Where the controls of its device sit, for the card; empty if it does not say so.
    pub face: Face,
    /// The kinds of pad it is for, by name, if it says so.
    pub said_kinds: Vec<String>,
}

impl Profile {
    /// A layer by its number in rules, from 1; the base, 0, gives none.
    #[must_use]
    pub fn layer(&self, place: usize) -> Option<&Layer> {
        self.layers.get(place.checked_sub(1)?)
    }

    /// The plain profile: everything has its default binding.
    #[must_use]
    pub fn plain(name: &str, feel: Feel) -> Self {
        Self { name: name.into(), defaults: true, feel, ..Self::default() }
    }

    /// The kinds of pad it is for: those it names, or else those that can have everything it plays. A profile that mixes what
    /// no single kind has counts as for all of them.
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
        // A profile of keys alone has no pad to play; a profile that plays no pad fits any kind.
        let fit: Vec<&str> = widest.into_iter().filter(has_all).map(|kind| kind.shipped_name()).collect();
        if fit.is_empty() { PadKind::widest().map(|kind| kind.shipped_name()).to_vec() } else { fit }
    }

    /// What it plays besides the pad, in the order of [`KeyTarget::all`].
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

    /// How the sources of a target combine.
    #[must_use]
    pub fn combine_of(&self, target: Target) -> Combine {
        self.combine.iter().find(|(own, _)| *own == target).map_or(Combine::Largest, |(_, combine)| *combine)
    }

    /// Whether it plays exactly like another profile, whatever their names, feel and line numbers.
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

    /// The name of what a target does in the game.
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
