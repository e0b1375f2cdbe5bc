//! A finger on a surface, a mouse and motion, from their reports to what a game gets: devices of the demo, moved by their hands, on simulated time.

mod shadow;

use mantle_core::pad::Events;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_engine::Observer;
use mantle_files::SceneFile;
use mantle_sim::{Pace, SimWorld};
use std::sync::Arc;

/// What a slot's pad and its keys have given.
#[derive(Default)]
struct Game {
    /// Each frame of the pad: when, type, code, value.
    pad: Vec<(Micros, u16, u16, i32)>,
    typed: Vec<(Micros, u16, u16, i32)>,
}

impl Observer for Game {
    fn handle_frame(&mut self, now: Micros, _: SlotNumber, events: &Events) {
        self.pad.extend(events.iter().map(|(kind, code, value)| (now, kind, code, value)));
    }

    fn handle_typed(&mut self, now: Micros, _: SlotNumber, typed: &mantle_core::keys::Typed) {
        self.typed.extend(typed.events().iter().map(|(kind, code, value)| (now, *kind, *code, *value)));
    }
}

impl Game {
    /// Counts of the pointer or the wheel within a span, added up.
    fn moved(&self, code: u16, from: f64, to: f64) -> i32 {
        let within = |at: &Micros| (from..to).contains(&at.as_seconds());
        let own = self.typed.iter().filter(|(at, kind, own, _)| within(at) && (*kind, *own) == (2, code));
        own.map(|(.., value)| value).sum()
    }

    /// The furthest that an axis of the pad went.
    fn furthest(&self, code: u16) -> i32 {
        let own = self.pad.iter().filter(|(_, kind, own, _)| (*kind, *own) == (3, code));
        own.map(|(.., value)| *value).max_by_key(|value| value.abs()).unwrap_or(0)
    }
}

/// A device of the demo in slot 1, by this profile, which may type what it says.
fn play(device: &str, profile: &str, seconds: u64) -> Game {
    let text = format!("version = 1\ntitle = \"x\"\n[[device]]\nfile = \"{device}\"\nport = \"1-1\"\nslots = [1]\n");
    let scene = SceneFile::parse("x", &text).expect("a scene");
    let until = Micros::seconds(seconds);
    let mut world = SimWorld::new(&scene, Pace::Virtual { until }, None).expect("a scene");
    let mut settings = world.settings();
    let read = mantle_files::profile::read("p.profile.toml", profile);
    assert_eq!(read.faults, []);
    let profile = read.profile.expect("it can be used");
    settings.remembered.slots[0].profile.clone_from(&profile.name);
    settings.remembered.agreed.push((profile.name.clone(), profile.strokes()));
    settings.profiles.push(Arc::new(profile));
    let mut table = Table::new(settings);
    let mut game = Game::default();
    shadow::run(&mut world, &mut table, &mut game);
    game
}

const SURFACE: &str = r#"version = 1
defaults = false
[[binding]]
target = "mouse right"
source = "contact 1 X"
reach = 1365
[[binding]]
target = "mouse left"
source = "contact 1 X"
reach = 1365
[[binding]]
target = "mouse button left"
source = "button 1"
[[binding]]
target = "mouse button right"
source = "contact 1"
tap = 0.2
"#;

#[test]
fn a_third_of_the_surface_moves_the_pointer_a_thousand_counts() {
    let game = play("slipway-slate", SURFACE, 8);
    assert_eq!(
        game.moved(0, 0.0, 4.0),
        0,
        "a finger that may have been there before does not count until it is lifted"
    );
    assert_eq!(game.moved(0, 4.0, 7.0), 1_000, "3000 of 4095, at 1365 counts for the way across");
    assert_eq!(game.moved(0, 6.2, 8.0), 0, "nothing moves when it is lifted");
    let clicks: Vec<_> =
        game.typed.iter().filter(|(_, kind, ..)| *kind == 1).map(|(.., code, value)| (*code, *value)).collect();
    assert_eq!(
        clicks,
        [(0x110, 1), (0x110, 0), (0x110, 1), (0x110, 0)],
        "its button clicks; a finger that draws does not tap"
    );
}

#[test]
fn a_mouse_aims_and_the_stick_comes_back() {
    let game = play("gull-mouse", "version = 1\n", 4);
    assert!(game.furthest(3) > 25_000, "{}", game.furthest(3));
    assert!(game.furthest(4) < -15_000, "{}", game.furthest(4));
    let last =
        |code| game.pad.iter().rev().find(|(_, kind, own, _)| (*kind, *own) == (3, code)).map(|(.., value)| *value);
    assert_eq!((last(3), last(4)), (Some(0), Some(0)));
    assert!(
        game.pad.iter().any(|(_, kind, code, value)| (*kind, *code, *value) == (3, 5, 255)),
        "its button is a trigger"
    );
}

const GYRO: &str = r#"version = 1
defaults = false
[[binding]]
target = "right stick right"
source = "gyro X upper half"
sensitivity = 3
threshold = 0.02
[[binding]]
target = "mouse right"
source = "gyro X upper half"
threshold = 0.02
with = ["button 1"]
"#;

#[test]
fn motion_plays_a_stick_always_and_the_pointer_only_while_held() {
    let game = play("lantern-left", GYRO, 4);
    let stick = game.furthest(3);
    assert!((20_000..=32_767).contains(&stick), "9000 of 32767, less 2 %, three times: {stick}");
    assert_eq!(game.moved(0, 0.0, 4.0), 0, "button 1 is not held while it turns");
    let game = play("lantern-left", &GYRO.replace("with = [\"button 1\"]\n", ""), 4);
    assert!(game.moved(0, 0.0, 4.0) > 20, "{}", game.moved(0, 0.0, 4.0));
}
