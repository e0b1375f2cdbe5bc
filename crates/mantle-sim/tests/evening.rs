//! The evening's profiles on their devices: what they say is what plays.

mod shadow;

use mantle_core::keys::Typed;
use mantle_core::pad::{Events, PadTarget};
use mantle_core::slot::SlotNumber;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_engine::Observer;
use mantle_files::SceneFile;
use mantle_files::shipped;
use mantle_sim::{Pace, SimWorld};
use std::collections::BTreeSet;

/// Events by second: type, code, value; and what was typed.
#[derive(Default)]
struct Heard {
    pad: Vec<(u64, u16, u16, i32)>,
    typed: Vec<(u16, u16, i32)>,
}

impl Heard {
    /// What this absolute axis of the pad was told, and at which second.
    fn axis(&self, code: u16) -> Vec<(u64, i32)> {
        let own = self.pad.iter().filter(|(_, kind, other, _)| (*kind, *other) == (3, code));
        own.map(|(at, .., value)| (*at, *value)).collect()
    }
}

impl Observer for Heard {
    fn handle_frame(&mut self, now: Micros, _slot: SlotNumber, events: &Events) {
        let second = now.0 / 1_000_000;
        self.pad.extend(
            events.iter().filter(|(kind, ..)| *kind != 0).map(|(kind, code, value)| (second, kind, code, value)),
        );
    }

    fn handle_typed(&mut self, _now: Micros, _slot: SlotNumber, typed: &Typed) {
        self.typed.extend(typed.events());
    }
}

/// Ten seconds of a device that plays by a profile and sends these reports at these seconds.
fn played(profile: &str, device: &str, reports: &[(f64, &str)], agree: bool) -> Heard {
    let mut text = format!(
        "version = 1\ntitle = \"evening\"\n[[profile]]\nname = \"{profile}\"\n[[device]]\nfile = \"{device}\"\nport = \"1-2\"\n\
         hands = false\nslots = [1]\nprofile = \"{profile}\"\n"
    );
    for (at, bytes) in reports {
        text.push_str(&format!("[[report]]\nport = \"1-2\"\nat = {at}\nbytes = \"{bytes}\"\n"));
    }
    let scene = SceneFile::parse("evening.scene.toml", &text).expect("a scene");
    let mut world = SimWorld::new(&scene, Pace::Virtual { until: Micros::seconds(10) }, None).expect("a world");
    let mut settings = world.settings();
    if agree {
        let strokes = shipped::profile(profile).expect("it ships").strokes();
        settings.remembered.agreed = vec![(profile.to_owned(), strokes)];
    }
    let mut heard = Heard::default();
    shadow::run(&mut world, &mut Table::new(settings), &mut heard);
    heard
}

/// The switch on the panel's case makes its stick a hat or two axes, at any time: the d-pad plays from both. The panel keeps sending its rest in
/// between.
#[test]
fn the_panel_plays_with_its_switch_in_both_positions() {
    let (rest, left_by_hat, left_by_axes) = ("00 80 80 80", "00 60 80 80", "00 80 00 80");
    let reports = [(1.0, rest), (2.0, left_by_hat), (3.0, rest), (4.0, left_by_axes), (5.0, rest)];
    let heard = played("garden", "harbour-panel", &reports, false);
    assert_eq!(heard.axis(0x10), [(2, -1), (2, 0), (4, -1), (4, 0)], "{:?}", heard.pad);
}

#[test]
fn the_parade_types_once_somebody_has_agreed_and_plays_no_pad() {
    let reports =
        [(1.0, "01 00 80 80 80 80 80 00 00"), (2.0, "01 01 80 80 80 80 80 00 00"), (3.0, "01 00 80 80 80 80 80 00 00")];
    let silent = played("parade", "quay-pad", &reports, false);
    assert_eq!((silent.typed, silent.pad), (Vec::new(), Vec::new()));
    let heard = played("parade", "quay-pad", &reports, true);
    assert_eq!((heard.typed, heard.pad), (vec![(1, 57, 1), (1, 57, 0)], Vec::new()));
}

/// While the left shoulder is held the face buttons play the d-pad, and nothing of it remains.
#[test]
fn the_ferry_layer_is_under_a_held_button() {
    let reports = [
        (1.0, "01 00 80 80 80 80 80 00 00"),
        (2.0, "01 10 80 80 80 80 80 00 00"),
        (3.0, "01 18 80 80 80 80 80 00 00"),
        (4.0, "01 00 80 80 80 80 80 00 00"),
        (5.0, "01 08 80 80 80 80 80 00 00"),
        (6.0, "01 00 80 80 80 80 80 00 00"),
    ];
    let heard = played("ferry", "quay-pad", &reports, false);
    assert_eq!(heard.axis(0x11), [(3, -1), (3, 0)], "{:?}", heard.pad);
    let norths = heard.pad.iter().filter(|(_, kind, code, value)| (*kind, *code, *value) == (1, 0x134, 1));
    let north: Vec<u64> = norths.map(|all| all.0).collect();
    assert_eq!(north, [5], "only without the deck it plays North: {:?}", heard.pad);
}

/// What a profile mentions exists on some device of the evening: a wrong name would never be found otherwise.
#[test]
fn every_control_that_the_evening_speaks_of_exists() {
    let mut names = BTreeSet::new();
    for device in shipped::device_names() {
        let file = shipped::device(&device).expect("it ships");
        let made = mantle_sim::SimDevice::new(&device, &file, "1-1", None).expect("it is made");
        for interface in &made.interfaces {
            names.extend(
                interface
                    .layout
                    .parts
                    .iter()
                    .flat_map(|part| &part.controls)
                    .map(|control| control.name.to_lowercase()),
            );
        }
    }
    for name in shipped::profile_names() {
        let profile = shipped::profile(&name).expect("it can be read");
        assert!(
            profile.rules.iter().any(|rule| rule.target != PadTarget::Mode) || !profile.actions.is_empty(),
            "{name} says something"
        );
        for source in profile.rules.iter().filter_map(|rule| rule.source.as_ref()) {
            assert!(names.contains(&source.control.to_lowercase()), "{name}: no device has {}", source.control);
        }
    }
}
