//! Compares two profiles, and describes a rule in short.

use super::{Leave, Named, Opposite, Options, Profile, Rule, Target};
use crate::feel::{Curve, Shaped, percent};
use crate::time::Micros;
use serde::{Deserialize, Serialize};

/// A difference between two profiles.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Difference {
    /// What it is about.
    pub what: String,
    /// How the first does it; empty if it says nothing.
    pub one: String,
    /// How the second does it.
    pub other: String,
}

impl Options {
    /// A source's options, in short.
    #[must_use]
    pub fn words(&self) -> Vec<String> {
        let mut words = Vec::new();
        let mut say = |text: String| words.push(text);
        if self.inverted {
            say("backwards".into());
        }
        if let Some((press, _)) = self.press {
            say(format!("from {:.0} %", press * 100.0));
        }
        if self.sensitivity != 1.0 {
            say(format!("times {}", self.sensitivity));
        }
        if self.threshold > 0.0 {
            say(format!("above {:.1} %", self.threshold * 100.0));
        }
        if self.ramp.0 > 0 {
            say(format!("over {} ms", self.ramp.0 / 1000));
        }
        if self.toggle {
            say("on and off".into());
        }
        if self.shortest.0 > 0 {
            say(format!("at least {} ms", self.shortest.0 / 1000));
        }
        if let Some(times) = self.again {
            say(format!("{times} times per second"));
        }
        if !self.row.is_empty() {
            let presses = self.row.len().div_ceil(2);
            let whole: u64 = self.row.iter().map(|span| span.0 / 1000).sum();
            say(format!("a row of {presses} press{} in {whole} ms", if presses == 1 { "" } else { "es" }));
        }
        if self.tap.0 > 0 {
            say(format!("tapped within {} ms", self.tap.0 / 1000));
        }
        if let Some(edges) = self.region {
            let [left, upper, right, lower] = edges.map(|edge| (edge * 100.0).round() as u8);
            say(format!("where {left} to {right} % across, {upper} to {lower} % down"));
        }
        if let Some(reach) = self.reach {
            say(format!("{reach} counts to the end"));
        }
        match self.spring {
            Some(Micros(0)) => say("stays where it is left".into()),
            Some(spring) => say(format!("spring of {} ms", spring.0 / 1000)),
            None => {}
        }
        if let Some(centre) = &self.centre {
            say(format!("centred by {}", centre.text()));
        }
        if self.leave != Leave::Centre {
            say(format!("on leaving: {}", self.leave.word()));
        }
        for named in &self.with {
            say(format!("with {}", named.text()));
        }
        words
    }
}

/// What a rule says, without its place in the file.
fn words(rule: &Rule) -> String {
    let source = rule.source.as_ref().map_or("nothing".into(), Named::text);
    std::iter::once(source).chain(rule.options.words()).collect::<Vec<_>>().join(", ")
}

/// The differences of two profiles; empty if they play and feel alike.
#[must_use]
pub fn differences(one: &Profile, other: &Profile) -> Vec<Difference> {
    let mut out = Vec::new();
    let mut say = |what: String, one: String, other: String| {
        if one != other {
            out.push(Difference { what, one, other });
        }
    };
    say("what it does not mention".into(), guessed(one), guessed(other));
    let mut layers: Vec<&str> = vec![""];
    for layer in one.layers.iter().chain(&other.layers) {
        if !layers.contains(&layer.name.as_str()) {
            layers.push(&layer.name);
        }
    }
    for name in layers {
        let during = if name.is_empty() { String::new() } else { format!(" in {name}") };
        if !name.is_empty() {
            say(format!("layer {name}"), held(one, name), held(other, name));
        }
        for target in Target::all() {
            let of = |profile: &Profile| said_in(profile, target, name);
            say(format!("{}{during}", target.name()), of(one), of(other));
        }
    }
    for target in Target::all() {
        let of = |profile: &Profile| format!("{:?}", profile.combine_of(target)).to_lowercase();
        say(format!("several sources of {}", target.name()), of(one), of(other));
    }
    for which in Shaped::all().filter(|which| !which.is_axis() || one.feel.is_own(*which) || other.feel.is_own(*which))
    {
        for ((name, one), (_, other)) in felt(one, which).into_iter().zip(felt(other, which)) {
            say(format!("{name} of the {}", which.name()), one, other);
        }
    }
    for target in Target::all() {
        let word = |word: Option<&str>| word.unwrap_or_default().to_owned();
        say(format!("{} is called", target.name()), word(one.action(target)), word(other.action(target)));
        say(format!("games print for {}", target.name()), word(one.prompt(target)), word(other.prompt(target)));
    }
    let mouse = |profile: &Profile| {
        let pace = profile.pace;
        format!("{} counts per second, wheel {}, dead zone {}", pace.speed, pace.wheel, percent(pace.dead_zone))
    };
    say("the pointer and the wheel".into(), mouse(one), mouse(other));
    say("opposite directions".into(), opposite(one), opposite(other));
    for (at, name) in ["left stick", "right stick"].into_iter().enumerate() {
        let turn = |profile: &Profile| format!("{}°", profile.turn[at]);
        say(format!("the {name} is turned by"), turn(one), turn(other));
    }
    say("kinds of pad".into(), one.said_kinds.join(", "), other.said_kinds.join(", "));
    say("where the controls sit".into(), one.face.text(), other.face.text());
    say("notes".into(), one.notes.trim().to_owned(), other.notes.trim().to_owned());
    out
}

/// What a profile says about a target in a layer; the base has no name.
fn said_in(profile: &Profile, target: Target, layer: &str) -> String {
    let place = match layer {
        "" => Some(0),
        name => profile.layers.iter().position(|layer| layer.name == name).map(|at| at + 1),
    };
    let own = profile.rules.iter().filter(|rule| rule.target == target && Some(rule.layer) == place);
    own.map(words).collect::<Vec<_>>().join("; ")
}

fn held(profile: &Profile, name: &str) -> String {
    let own = profile.layers.iter().find(|layer| layer.name == name);
    own.map_or(String::new(), |layer| format!("{}{}", layer.hold.text(), if layer.toggle { ", toggled" } else { "" }))
}

/// The feel of a stick or trigger, setting by setting.
fn felt(profile: &Profile, which: Shaped) -> Vec<(&'static str, String)> {
    let shape = profile.feel.of(which);
    let yes = |on: bool| if on { "yes" } else { "no" }.to_owned();
    vec![
        ("dead zone", percent(shape.dead_zone)),
        ("outer dead zone", percent(shape.outer)),
        ("minimum output", percent(shape.minimum)),
        ("curve", curve(&shape.curve)),
        ("sensitivity", format!("× {:.2}", shape.sensitivity)),
        ("gate", shape.gate.word().to_owned()),
        ("inverted across", yes(shape.invert[0])),
        ("inverted up and down", yes(shape.invert[1])),
        ("smoothing", format!("{} ms", shape.smoothing.0 / 1000)),
    ]
}

fn curve(curve: &Curve) -> String {
    if let Some(name) = curve.name() {
        return name.to_owned();
    }
    let points = curve.points().iter().map(|(x, y)| format!("{} {}", percent(*x), percent(*y)));
    points.collect::<Vec<_>>().join(", ")
}

fn guessed(profile: &Profile) -> String {
    if profile.defaults { "plays as guessed" } else { "plays nothing" }.to_owned()
}

fn opposite(profile: &Profile) -> String {
    if profile.opposite == Opposite::Last { "the last one" } else { "neutral" }.to_owned()
}
