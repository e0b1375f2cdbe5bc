//! Reads a profile's feel, and changes it in its text.

use crate::pointed::{At, Reader, real};
use mantle_core::feel::{Curve, DEAD_ZONE, Feel, Gate, PRESETS, Setting, Shape, Shaped};
use mantle_core::time::Micros;
use toml_edit::{Array, DocumentMut, Item, Table, TableLike, Value};

const DEAD_ZONES: [&str; 2] = ["stick_dead_zone", "trigger_dead_zone"];
const STICK: &[&str] =
    &["dead_zone", "outer_dead_zone", "minimum", "curve", "sensitivity", "gate", "invert_x", "invert_y", "smoothing"];
const TRIGGER: &[&str] = &["dead_zone", "outer_dead_zone", "minimum", "curve", "sensitivity", "smoothing"];
const AXIS: &[&str] = &["dead_zone", "outer_dead_zone", "minimum", "curve", "sensitivity", "invert", "smoothing"];

impl Reader<'_> {
    pub(super) fn feel(&mut self, at: &At<'_>) -> Feel {
        let known: Vec<&str> = DEAD_ZONES.into_iter().chain(Shaped::all().map(Shaped::name)).collect();
        self.known(at, &known);
        let dead = |share: Option<f64>| share.map_or(DEAD_ZONE, |share| share as f32);
        let sticks = dead(self.real(at, "stick_dead_zone", 0.0..=0.9));
        let triggers = dead(self.real(at, "trigger_dead_zone", 0.0..=0.9));
        let mut feel = Feel::plain(sticks, triggers);
        for which in Shaped::all() {
            if let Some(at) = self.below(at, which.name()) {
                *feel.of_mut(which) = self.shape(&at, which, *feel.of(which));
            }
        }
        feel
    }

    fn shape(&mut self, at: &At<'_>, which: Shaped, before: Shape) -> Shape {
        self.known(
            at,
            match which {
                _ if which.is_stick() => STICK,
                _ if which.is_axis() || which.is_line() && which.is_centred() => AXIS,
                _ => TRIGGER,
            },
        );
        // What an axis does not say is as for its stick.
        let mut shape = before;
        let share = |share: Option<f64>, usual: f32| share.map_or(usual, |share| share as f32);
        shape.dead_zone = share(self.real(at, "dead_zone", 0.0..=0.9), shape.dead_zone);
        shape.outer = share(self.real(at, "outer_dead_zone", 0.0..=0.5), shape.outer);
        shape.minimum = share(self.real(at, "minimum", 0.0..=0.9), shape.minimum);
        shape.sensitivity = share(self.real(at, "sensitivity", 0.1..=5.0), shape.sensitivity);
        if let Some(seconds) = self.real(at, "smoothing", 0.0..=0.5) {
            shape.smoothing = Micros((seconds * 1e6).round() as u64);
        }
        shape.curve = self.curve(at).unwrap_or(shape.curve);
        if which.is_axis() {
            let own = which.axis() % 2;
            shape.invert[own] = self.flag(at, "invert").unwrap_or(shape.invert[own]);
        }
        if which.is_line() && which.is_centred() {
            shape.invert[0] = self.flag(at, "invert").unwrap_or(false);
        }
        if which.is_stick() {
            let words: Vec<&str> = Gate::ALL.iter().map(|(word, _)| *word).collect();
            shape.gate = self.one_of(at, "gate", &words).map_or(Gate::Free, |gate| Gate::ALL[gate].1);
            shape.invert = ["invert_x", "invert_y"].map(|key| self.flag(at, key).unwrap_or(false));
        }
        shape
    }

    fn curve(&mut self, at: &At<'_>) -> Option<Curve> {
        let item = at.table.get("curve")?;
        if item.as_str().is_some() {
            let names: Vec<&str> = PRESETS.iter().map(|(name, _)| *name).collect();
            return self.one_of(at, "curve", &names).and_then(|found| Curve::preset(names[found]));
        }
        let pair = |value: &Value| match value.as_array()?.iter().map(real).collect::<Option<Vec<f64>>>()?.as_slice() {
            [x, y] => Some((*x as f32, *y as f32)),
            _ => None,
        };
        let points = item.as_array().and_then(|array| array.iter().map(pair).collect::<Option<Vec<_>>>());
        let Some(points) = points else {
            let allowed = "a name such as \"gentle\", or points such as [[0.25, 0.1], [0.5, 0.3]] are expected";
            return self.refuse(at, "curve", item, allowed);
        };
        match Curve::new(&points) {
            Ok(curve) => Some(curve),
            Err(why) => self.refuse(at, "curve", item, &format!("expected: {why}")),
        }
    }
}

/// Writes a setting.
pub(super) fn set(document: &mut DocumentMut, which: Shaped, setting: &Setting) {
    let feel = document["feel"].or_insert(Item::Table(Table::new()));
    let Some(feel) = feel.as_table_like_mut() else { return };
    if !feel.contains_key(which.name()) {
        feel.insert(which.name(), Item::Table(Table::new()));
    }
    let Some(table) = feel.get_mut(which.name()).and_then(Item::as_table_like_mut) else { return };
    // An axis inherits from its stick, so a default has to be written out.
    let put = |table: &mut dyn TableLike, key: &str, share: f64, usual: f64| match which.is_axis() {
        true => super::edit::set(table, key, share),
        false => put(table, key, share, usual),
    };
    let share = |thousandths: u16| f64::from(thousandths) / 1000.0;
    match setting {
        Setting::DeadZone(value) => super::edit::set(table, "dead_zone", share(*value)),
        Setting::Outer(value) => put(table, "outer_dead_zone", share(*value), 0.0),
        Setting::Minimum(value) => put(table, "minimum", share(*value), 0.0),
        Setting::Sensitivity(value) => put(table, "sensitivity", share(*value), 1.0),
        Setting::Smoothing(value) => put(table, "smoothing", share(*value), 0.0),
        Setting::Gate(Gate::Free) => drop(table.remove("gate")),
        Setting::Gate(gate) => super::edit::set(table, "gate", gate.word()),
        Setting::Invert(both) if which.is_axis() => super::edit::set(table, "invert", both[which.axis() % 2]),
        Setting::Invert([on, _]) if which.is_line() => match on {
            true => super::edit::set(table, "invert", true),
            false => drop(table.remove("invert")),
        },
        Setting::Invert(both) => {
            for (key, on) in ["invert_x", "invert_y"].into_iter().zip(both) {
                match on {
                    true => super::edit::set(table, key, true),
                    false => drop(table.remove(key)),
                }
            }
        }
        Setting::Curve(points) => {
            let shape = setting.apply(Shape::plain(0.0));
            match shape.curve.name() {
                Some("straight") if !which.is_axis() => drop(table.remove("curve")),
                Some(name) => super::edit::set(table, "curve", name),
                None => {
                    let pair = |(x, y): &(u16, u16)| Value::from(Array::from_iter([share(*x), share(*y)]));
                    super::edit::set(table, "curve", Array::from_iter(points.iter().map(pair)));
                }
            }
        }
        Setting::Default => drop(feel.remove(which.name())),
    }
}

/// A number, or nothing for the default.
fn put(table: &mut dyn TableLike, key: &str, share: f64, usual: f64) {
    if share == usual {
        table.remove(key);
    } else {
        super::edit::set(table, key, share);
    }
}
