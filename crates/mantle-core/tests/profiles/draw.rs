//! Any profile for a pad of ours, and any story: reports and pauses.

use mantle_core::binding::{Combine, Layer, Leave, Named, Opposite, Options, Part, Profile, Rule, Target};
use mantle_core::pad::{PadTarget, TARGETS};
use mantle_core::time::Micros;
use proptest::prelude::*;

/// 12 buttons, a hat, X, Y, Z, Rx, Ry, Rz of 8 bits; a surface with one contact: its touch, X and Y of 8 bits.
pub const PAD: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x0c, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x0c, 0x81, 0x02, 0x05, 0x01, 0x09, 0x39, 0x25, 0x07, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42, 0x09, 0x30, 0x09, 0x31,
    0x09, 0x32, 0x09, 0x33, 0x09, 0x34, 0x09, 0x35, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x02, 0x05, 0x0d,
    0x09, 0x22, 0xa1, 0x02, 0x09, 0x42, 0x25, 0x01, 0x75, 0x01, 0x95, 0x01, 0x81, 0x02, 0x75, 0x07, 0x81, 0x01, 0x05,
    0x01, 0x09, 0x30, 0x09, 0x31, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0, 0xc0,
];

/// Its report while nobody touches it.
pub const REST: [u8; 11] = [0, 0x80, 128, 128, 0, 128, 128, 0, 0, 0, 0];

/// A byte of the report, its bits, and their new value; toggled if none is given.
type Change = (usize, u8, Option<u8>);

/// What happens, and how long after the previous event.
pub type Story = Vec<(Micros, Act)>;

/// Something that happens.
#[derive(Clone, Debug)]
pub enum Act {
    /// A report comes.
    Report(Vec<u8>),
    /// Everything is let go.
    Release,
}

/// A control, and one of its parts.
fn source() -> impl Strategy<Value = Named> {
    let half = prop::sample::select(vec!["", " whole", " lower half", " upper half"]);
    let axis = prop::sample::select(vec!["X", "Y", "Z", "Rx", "Ry", "Rz"]);
    let direction = prop::sample::select(vec!["up", "down", "left", "right"]);
    prop_oneof![
        4 => (1..=12u8).prop_map(|n| format!("button {n}")),
        3 => (axis, half).prop_map(|(axis, half)| format!("{axis}{half}")),
        1 => direction.prop_map(|direction| format!("hat {direction}")),
    ]
    .prop_map(|text| Named::parse(&text))
}

/// A finger on the surface, and its position.
fn touch() -> impl Strategy<Value = Named> {
    let all = [
        "contact 1",
        "contact 1 X lower half",
        "contact 1 X upper half",
        "contact 1 Y upper half",
        "contact 1 Y whole",
    ];
    prop::sample::select(all.to_vec()).prop_map(Named::parse)
}

fn span(most: u64) -> impl Strategy<Value = Micros> {
    prop_oneof![3 => Just(Micros(0)), 1 => (1_000..most).prop_map(Micros)]
}

/// A part of the surface.
fn region() -> impl Strategy<Value = [f32; 4]> {
    let edge = || (0.0f32..0.4, 0.5f32..1.0);
    (edge(), edge()).prop_map(|((left, right), (upper, lower))| [left, upper, right, lower])
}

fn options() -> impl Strategy<Value = Options> {
    let press =
        prop_oneof![3 => Just(None), 1 => (0.2f32..0.9, 0.05f32..0.2).prop_map(|(on, off)| Some((on, on - off)))];
    let with = prop_oneof![5 => Just(Vec::new()), 1 => prop::collection::vec((1..=12u8).prop_map(|n| Named::parse(&format!("button {n}"))), 1..3)];
    let sensitivity = prop_oneof![3 => Just(1.0f32), 1 => 0.2f32..3.0];
    let plain = Just(Options::default());
    let threshold = prop_oneof![4 => Just(0.0f32), 1 => 0.02f32..0.6];
    let region = prop_oneof![4 => Just(None), 1 => region().prop_map(Some)];
    let leave = prop::sample::select(vec![Leave::Centre, Leave::Centre, Leave::Hold, Leave::Edge]);
    let surface = (threshold, span(250_000), region, leave);
    let any = (
        prop::bool::weighted(0.15),
        press,
        sensitivity,
        span(300_000),
        (prop::bool::weighted(0.15), beat()),
        span(200_000),
        with,
        surface,
    );
    let any =
        any.prop_map(|(inverted, press, sensitivity, ramp, (toggle, (again, row)), shortest, with, surface)| Options {
            again,
            row,
            threshold: surface.0,
            tap: surface.1,
            region: surface.2,
            leave: surface.3,
            inverted,
            press,
            sensitivity,
            ramp,
            toggle,
            shortest,
            with,
            ..Options::default()
        });
    prop_oneof![1 => plain, 1 => any]
}

/// Repeated, or in a row; usually neither.
fn beat() -> impl Strategy<Value = (Option<f32>, Vec<Micros>)> {
    let row = prop::collection::vec((10_000u64..200_000).prop_map(Micros), 1..4);
    let row = row.prop_map(|mut row| {
        row.truncate(if row.len() == 2 { 1 } else { 3 });
        (None, row)
    });
    let again = (0.5f32..30.0).prop_map(|times| (Some(times), Vec::new()));
    prop_oneof![6 => Just((None, Vec::new())), 1 => again, 1 => row]
}

/// The controls of the pad, and some of what is played besides.
pub fn targets() -> Vec<Target> {
    let strokes = ["key A", "mouse left", "wheel up"].map(|name| Target::named(name).expect("there is one"));
    TARGETS.into_iter().map(Target::Pad).chain(strokes).collect()
}

fn target() -> impl Strategy<Value = Target> {
    prop::sample::select(targets())
}

fn rule() -> impl Strategy<Value = Rule> {
    let source = prop_oneof![12 => source().prop_map(Some), 3 => touch().prop_map(Some), 1 => Just(None)];
    (target(), source, 0..=3usize, options()).prop_map(|(target, source, layer, options)| {
        // A finger's position moves the pointer by moving itself; other tests cover that.
        let mut options = options;
        if source.as_ref().is_some_and(|named| named.control == "contact 1") && options.shortest == Micros(0) {
            options.tap = Micros::millis(150);
        }
        let draws = target.is_key() && source.as_ref().is_some_and(|named| named.control.starts_with("contact 1 "));
        Rule { target: if draws { PadTarget::RightTrigger.into() } else { target }, source, layer, line: 0, options }
    })
}

/// Both halves of an axis on a stick, as people write them.
fn stick() -> impl Strategy<Value = Vec<Rule>> {
    let axis = prop::sample::select(vec!["X", "Y", "Z", "Rx", "Ry", "Rz"]);
    let lane = prop::sample::select(vec![
        (PadTarget::LeftStickLeft, PadTarget::LeftStickRight),
        (PadTarget::LeftStickUp, PadTarget::LeftStickDown),
        (PadTarget::RightStickLeft, PadTarget::RightStickRight),
    ]);
    (axis, lane, 0..=3usize).prop_map(|(axis, (low, high), layer)| {
        let one = |target, half: &str| Rule {
            target,
            source: Some(Named::parse(&format!("{axis} {half} half"))),
            layer,
            line: 0,
            options: Options::default(),
        };
        vec![one(low.into(), "lower"), one(high.into(), "upper")]
    })
}

/// Any profile.
pub fn profile() -> impl Strategy<Value = Profile> {
    // Whether the whole of an axis that rests in its middle is held would depend on what came before.
    let rests = |hold: &Named| hold.control.contains(' ') || !matches!(hold.part, None | Some(Part::Whole));
    let hold = source().prop_filter("it rests", rests);
    let layer =
        (hold, prop::bool::weighted(0.3)).prop_map(|(hold, toggle)| Layer { name: "layer".into(), hold, toggle });
    let combine = prop::sample::select(vec![Combine::Sum, Combine::Last]);
    let turn = prop_oneof![3 => Just([0.0f32; 2]), 1 => prop::array::uniform2(-180.0f32..180.0)];
    (
        prop::collection::vec(rule(), 0..14),
        prop::collection::vec(stick(), 0..3),
        prop::collection::vec(layer, 3),
        prop::collection::vec((any::<prop::sample::Index>(), combine, source()), 0..3),
        prop::collection::vec((any::<prop::sample::Index>(), target(), region()), 0..2),
        any::<bool>(),
        prop::bool::weighted(0.3),
        turn,
    )
        .prop_map(|(mut rules, sticks, layers, combined, regions, defaults, last, turn)| {
            // What is combined has at least two sources.
            let mut combine = Vec::new();
            for (which, how, source) in combined {
                if !rules.is_empty() {
                    let Rule { target, layer, .. } = rules[which.index(rules.len())];
                    rules.push(Rule { target, source: Some(source), layer, line: 0, options: Options::default() });
                    combine.push((target, how));
                }
            }
            // A surface that clicks differently in a region has two rules for one control.
            for (which, target, region) in regions {
                let own = (!rules.is_empty()).then(|| rules[which.index(rules.len())].clone());
                let digital = |rule: &Rule| rule.source.as_ref().is_some_and(|named| named.part.is_none());
                if let Some(own) = own.filter(digital) {
                    rules.push(Rule { target, options: Options { region: Some(region), ..Options::default() }, ..own });
                }
            }
            Profile {
                defaults,
                layers,
                rules: rules.into_iter().chain(sticks.into_iter().flatten()).collect(),
                combine,
                opposite: if last { Opposite::Last } else { Opposite::Neutral },
                turn,
                ..Profile::plain("drawn", Default::default())
            }
        })
}

/// Reports in which little changes at a time, as hands do it, and pauses of all lengths.
pub fn story() -> impl Strategy<Value = Story> {
    let change = prop_oneof![
        4 => (0..12usize).prop_map(|bit| (bit / 8, 1u8 << (bit % 8), None)),
        1 => (0..9u8).prop_map(|hat| (1, 0xf0, Some(hat << 4))),
        2 => Just((8, 1, None)),
        2 => (9..11usize, any::<u8>()).prop_map(|(at, value)| (at, 0xff, Some(value))),
        3 => (2..8usize, prop_oneof![Just(0u8), Just(255), Just(128), any::<u8>()]).prop_map(|(at, value)| (at, 0xff, Some(value))),
    ];
    // Between pressed and released, of a whole axis and of its upper half, more often than by chance.
    let between = (2..8usize, prop_oneof![100u8..130, 178u8..192]).prop_map(|(at, value)| (at, 0xff, Some(value)));
    let change = prop_oneof![10 => change, 3 => between];
    let wait = prop_oneof![4 => 0u64..20_000, 1 => 20_000u64..400_000];
    prop::collection::vec((wait, prop::collection::vec(change, 1..3), prop::bool::weighted(0.04)), 1..40).prop_map(
        |all| {
            let mut report = REST.to_vec();
            let act = |(wait, changes, release): (u64, Vec<Change>, bool)| {
                for (at, mask, value) in changes {
                    report[at] = match value {
                        Some(value) => report[at] & !mask | value,
                        None => report[at] ^ mask,
                    };
                }
                (Micros(wait), if release { Act::Release } else { Act::Report(report.clone()) })
            };
            all.into_iter().map(act).collect()
        },
    )
}
