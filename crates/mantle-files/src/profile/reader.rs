//! Reads a profile key by key: each fault names the line, the key, its value, what is allowed, and one suggestion.

use super::{ENDING, ProfileFile};
use crate::pointed::{self, At, Reader, real};
use mantle_core::binding::{
    Combine, LAYERS, Layer, Leave, Named, Opposite, Options, PRESS, Profile, Rule, SPAN, SPANS, TIMES, Target, WHOLE,
};
use mantle_core::feel::Feel;
use mantle_core::keys::KeyTarget;
use mantle_core::pad::{PadKind, PadTarget, TARGETS};
use mantle_core::suggest::nearest;
use mantle_core::time::Micros;
use std::path::Path;
use toml_edit::{Item, Value};

const TOP: &[&str] = &[
    "version", "name", "kinds", "defaults", "opposite", "notes", "layer", "binding", "target", "stick", "mouse",
    "feel", "actions", "prompts", "face",
];
const LAYER: &[&str] = &["name", "hold", "toggle"];
const BINDING: &[&str] = &[
    "target",
    "source",
    "layer",
    "inverted",
    "press",
    "release",
    "sensitivity",
    "ramp",
    "toggle",
    "shortest",
    "again",
    "row",
    "with",
    "reach",
    "spring",
    "centre",
    "leave",
    "threshold",
    "tap",
    "region",
];
const TARGET: &[&str] = &["name", "combine"];
const MOUSE: &[&str] = &["speed", "wheel", "dead_zone"];
const STICK: &[&str] = &["which", "turn"];
/// The most bindings; further ones are reported and do not play.
const BINDINGS: usize = 512;

/// The names of the targets, in order.
fn target_names() -> Vec<&'static str> {
    TARGETS.iter().map(|target| target.name()).collect()
}

pub(super) fn read(path: &str, text: &str) -> ProfileFile {
    let (profile, faults) = pointed::read(path, text, TOP, |reader, at| reader.profile(at));
    ProfileFile { profile, faults }
}

impl Reader<'_> {
    fn profile(&mut self, at: &At<'_>) -> Option<Profile> {
        let file = Path::new(self.path).file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let stem = file.strip_suffix(ENDING).map_or(file.as_str(), |stem| stem.trim_end_matches('.'));
        let name = self.text(at, "name").map(str::trim).filter(|name| !name.is_empty()).unwrap_or(stem).to_owned();
        let mut profile = Profile { origin: self.path.into(), ..Profile::plain(&name, Feel::default()) };
        profile.defaults = self.flag(at, "defaults").unwrap_or(true);
        profile.notes = self.text(at, "notes").unwrap_or_default().to_owned();
        if self.one_of(at, "opposite", &["neutral", "last"]) == Some(1) {
            profile.opposite = Opposite::Last;
        }
        profile.said_kinds = self.kinds(at);
        self.layers(at, &mut profile);
        for (index, at) in self.tables(at, "binding").into_iter().enumerate() {
            if index == BINDINGS {
                self.fault(
                    at.span.clone(),
                    format!("more than {BINDINGS} bindings: this one and the rest are ignored"),
                );
                break;
            }
            self.known(&at, BINDING);
            profile.rules.extend(self.binding(&at, &profile));
        }
        for at in self.tables(at, "target") {
            self.known(&at, TARGET);
            let target = self.target(&at, "name");
            let combine = self.one_of(&at, "combine", &["largest", "sum", "last"]);
            if let (Some(target), Some(combine)) = (target, combine) {
                profile.combine.push((target, [Combine::Largest, Combine::Sum, Combine::Last][combine]));
            }
        }
        for at in self.tables(at, "stick") {
            self.known(&at, STICK);
            let which = match at.table.contains_key("which") {
                true => self.one_of(&at, "which", &["left", "right"]),
                false => self.missing(&at, "which", "allowed: left, right"),
            };
            if let (Some(which), Some(turn)) = (which, self.real(&at, "turn", -180.0..=180.0)) {
                profile.turn[which] = turn as f32;
            }
        }
        if let Some(at) = self.below(at, "mouse") {
            self.known(&at, MOUSE);
            let pace = &mut profile.pace;
            for (key, value, range) in [
                ("speed", &mut pace.speed, 10.0..=20_000.0),
                ("wheel", &mut pace.wheel, 0.5..=100.0),
                ("dead_zone", &mut pace.dead_zone, 0.0..=0.9),
            ] {
                *value = self.real(&at, key, range).map_or(*value, |real| real as f32);
            }
        }
        if let Some(at) = self.below(at, "feel") {
            profile.feel = self.feel(&at);
        }
        profile.actions = self.names_of(at, "actions");
        profile.prompts = self.names_of(at, "prompts");
        profile.face = self.face(at);
        Some(profile)
    }

    /// The kinds of pad it is for.
    fn kinds(&mut self, at: &At<'_>) -> Vec<String> {
        let Some(item) = at.table.get("kinds") else { return Vec::new() };
        let names = PadKind::widest().map(|kind| kind.shipped_name());
        let own = item
            .as_array()
            .map(|all| all.iter().map(|one| one.as_str().map(str::to_owned)).collect::<Option<Vec<_>>>());
        match own.flatten() {
            Some(own) if own.iter().all(|name| names.contains(&name.as_str())) => own,
            _ => {
                let allowed = format!("a list such as [\"flight stick\"] is expected; allowed: {}", names.join(", "));
                self.refuse::<()>(at, "kinds", item, &allowed);
                Vec::new()
            }
        }
    }

    /// A table with a word for each target that has one.
    fn names_of(&mut self, at: &At<'_>, key: &str) -> Vec<(Target, String)> {
        let Some(at) = self.below(at, key) else { return Vec::new() };
        // Numbered targets are listed only as far as they are used; a list of all possible ones would not help.
        let numbered = |target: &Target| {
            matches!(target.pad(), Some(PadTarget::Button(_) | PadTarget::Line(..) | PadTarget::Hat(..)))
        };
        let all: Vec<Target> =
            Target::all().filter(|target| !numbered(target) || at.table.contains_key(target.name())).collect();
        let names: Vec<&str> = all.iter().map(|target| target.name()).collect();
        self.known(&at, &names);
        let mut out = Vec::new();
        for (target, name) in all.iter().zip(names) {
            if let Some(word) = self.text(&at, name).map(str::trim).filter(|word| !word.is_empty()) {
                out.push((*target, word.to_owned()));
            }
        }
        out
    }

    fn layers(&mut self, at: &At<'_>, profile: &mut Profile) {
        for at in self.tables(at, "layer") {
            self.known(&at, LAYER);
            if profile.layers.len() == LAYERS {
                self.fault(at.span.clone(), format!("more than {LAYERS} layers: this one is ignored"));
                return;
            }
            let name = match self.text(&at, "name").map(str::trim) {
                Some("" | "base") => {
                    let item = at.table.get("name").unwrap_or(&Item::None);
                    let _: Option<()> = self.refuse(
                        &at,
                        "name",
                        item,
                        "another name is expected: \"base\" is the layer that is always on",
                    );
                    continue;
                }
                Some(name) => name.to_owned(),
                None if at.table.contains_key("name") => continue,
                None => {
                    let _: Option<()> = self.missing(&at, "name", "such as \"shift\"");
                    continue;
                }
            };
            let hold = match self.text(&at, "hold") {
                Some(hold) => Named::parse(hold),
                None if at.table.contains_key("hold") => continue,
                None => {
                    let _: Option<()> = self.missing(&at, "hold", "`hold` has to name the control that holds it");
                    continue;
                }
            };
            let toggle = self.flag(&at, "toggle").unwrap_or(false);
            profile.layers.push(Layer { name, hold, toggle });
        }
    }

    fn target(&mut self, at: &At<'_>, key: &str) -> Option<Target> {
        if !at.table.contains_key(key) {
            return self.missing(
                at,
                key,
                "`target` has to name a control of the pad, such as \"South\" or \"left stick up\"",
            );
        }
        let item = at.table.get(key)?;
        if let Some(target) = item.as_str().and_then(Target::named) {
            return Some(target);
        }
        let pad = target_names();
        let all: Vec<&str> = pad.iter().copied().chain(KeyTarget::all().map(KeyTarget::name)).collect();
        let meant = item.as_str().and_then(|text| nearest(text, &all));
        let meant = meant.map(|meant| format!("; did you mean \"{meant}\"?")).unwrap_or_default();
        let more = "and, beside the pad, what docs/keys.md lists, such as \"key A\" or \"mouse left\"";
        self.refuse(at, key, item, &format!("allowed: {}, {more}{meant}", pad.join(", ")))
    }

    fn binding(&mut self, at: &At<'_>, profile: &Profile) -> Option<Rule> {
        let before = self.faults.len();
        let target = self.target(at, "target");
        let source = match (self.text(at, "source").map(str::trim), at.table.get("source")) {
            (Some("none"), _) => Some(None),
            (Some(""), Some(item)) => {
                self.refuse(at, "source", item, "the name of a control, or \"none\", is expected")
            }
            (Some(source), _) => Some(Some(Named::parse(source))),
            (None, Some(_)) => None,
            (None, None) => self.missing(at, "source", "`source` has to name a control of the device, or \"none\""),
        };
        let layer = match (self.text(at, "layer").map(str::trim), at.table.get("layer")) {
            (None, _) | (Some("base"), _) => 0,
            (Some(name), item) => match profile.layers.iter().position(|layer| layer.name == name) {
                Some(place) => place + 1,
                None => {
                    let names: Vec<&str> =
                        std::iter::once("base").chain(profile.layers.iter().map(|layer| layer.name.as_str())).collect();
                    let item = item.unwrap_or(&Item::None);
                    let _: Option<()> =
                        self.refuse(at, "layer", item, &format!("the layers here are {}", names.join(", ")));
                    0
                }
            },
        };
        let options = self.options(at);
        // A binding with a fault does not play, since half of it might mean something else.
        if self.faults.len() > before {
            return None;
        }
        let line =
            at.span.as_ref().map_or(0, |span| self.text[..span.start.min(self.text.len())].matches('\n').count() + 1);
        Some(Rule { target: target?, source: source?, layer, line: line as u32, options })
    }

    fn options(&mut self, at: &At<'_>) -> Options {
        let seconds = |share: Option<f64>| Micros((share.unwrap_or(0.0) * 1e6).round() as u64);
        let press = self.real(at, "press", 0.01..=1.0).map(|share| share as f32);
        let release = self.real(at, "release", 0.0..=1.0).map(|share| share as f32);
        let press = match (press, release) {
            (None, None) => None,
            (Some(press), None) => Some((press, (press - (PRESS.0 - PRESS.1)).max(press / 2.0))),
            (press, Some(release)) => Some((press.unwrap_or(PRESS.0), release)),
        };
        if let Some((press, release)) = press.filter(|(press, release)| release >= press) {
            let item = at.table.get("release").unwrap_or(&Item::None);
            let allowed = format!("it has to be below `press`, which is {press}, or the button would chatter");
            let _: Option<()> = self.refuse(at, "release", item, &allowed);
            let _ = release;
        }
        let with = at.table.get("with").map_or(Vec::new(), |item| {
            let names =
                item.as_array().and_then(|array| array.iter().map(Value::as_str).collect::<Option<Vec<&str>>>());
            match names.filter(|names| {
                !names.is_empty() && names.len() <= 4 && names.iter().all(|name| !name.trim().is_empty())
            }) {
                Some(names) => names.into_iter().map(Named::parse).collect(),
                None => {
                    let allowed = "expected a list of one to four controls that have to be held as well";
                    let _: Option<()> = self.refuse(at, "with", item, allowed);
                    Vec::new()
                }
            }
        });
        Options {
            inverted: self.flag(at, "inverted").unwrap_or(false),
            press,
            sensitivity: self.real(at, "sensitivity", 0.05..=20.0).map_or(1.0, |share| share as f32),
            ramp: seconds(self.real(at, "ramp", 0.0..=10.0)),
            toggle: self.flag(at, "toggle").unwrap_or(false),
            shortest: seconds(self.real(at, "shortest", 0.0..=10.0)),
            again: self.again(at).map(|times| times as f32),
            row: self.row(at),
            with,
            reach: self.real(at, "reach", 1.0..=100_000.0).map(|reach| reach as f32),
            spring: self.real(at, "spring", 0.0..=10.0).map(|spring| seconds(Some(spring))),
            centre: self.text(at, "centre").filter(|name| !name.trim().is_empty()).map(Named::parse),
            leave: self
                .one_of(at, "leave", &Leave::ALL.map(|(word, _)| word))
                .map_or(Leave::Centre, |at| Leave::ALL[at].1),
            threshold: self.real(at, "threshold", 0.0..=0.9).map_or(0.0, |share| share as f32),
            tap: seconds(self.real(at, "tap", 0.0..=2.0)),
            region: self.region(at),
        }
    }

    /// Presses per second.
    fn again(&mut self, at: &At<'_>) -> Option<f64> {
        let times = self.real(at, "again", TIMES)?;
        let other = ["row", "tap"].into_iter().find(|key| at.table.get(key).is_some());
        if let Some(key) = other {
            let item = at.table.get("again").unwrap_or(&Item::None);
            let _: Option<()> = self.refuse(at, "again", item, &format!("it cannot be combined with `{key}`"));
        }
        Some(times)
    }

    /// A row of presses: the lengths of presses and releases, in turn.
    fn row(&mut self, at: &At<'_>) -> Vec<Micros> {
        let Some(item) = at.table.get("row") else { return Vec::new() };
        if at.table.get("tap").is_some() {
            let _: Option<()> = self.refuse(at, "row", item, "it cannot be combined with `tap`");
            return Vec::new();
        }
        let spans = item.as_array().and_then(|array| array.iter().map(real).collect::<Option<Vec<f64>>>());
        let good = |spans: &Vec<f64>| {
            spans.len() % 2 == 1
                && spans.len() <= SPANS
                && spans.iter().all(|span| SPAN.contains(span))
                && spans.iter().sum::<f64>() <= WHOLE
        };
        match spans.filter(good) {
            Some(spans) => spans.into_iter().map(|span| Micros((span * 1e6).round() as u64)).collect(),
            None => {
                let allowed = "expected the seconds it is down, up, down and so on: an odd number of times, at most 31, each 0.01 to 2 and 10 in total, such as [0.05, 0.08, 0.05] for two presses";
                let _: Option<()> = self.refuse(at, "row", item, allowed);
                Vec::new()
            }
        }
    }

    /// The four edges of a region of a surface.
    fn region(&mut self, at: &At<'_>) -> Option<[f32; 4]> {
        let item = at.table.get("region")?;
        let edges = item.as_array().and_then(|array| array.iter().map(real).collect::<Option<Vec<f64>>>());
        let good = |[left, upper, right, lower]: &[f64; 4]| {
            0.0 <= *left && left < right && *right <= 1.0 && 0.0 <= *upper && upper < lower && *lower <= 1.0
        };
        match edges.and_then(|edges| <[f64; 4]>::try_from(edges).ok()).filter(good) {
            Some(edges) => Some(edges.map(|edge| edge as f32)),
            None => {
                let allowed = "expected the left, top, right and bottom edges of a part of the surface, from 0 to 1, such as [0.5, 0, 1, 1] for its right half";
                self.refuse(at, "region", item, allowed)
            }
        }
    }
}
