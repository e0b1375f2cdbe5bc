//! Several parts of one device that play for one player: what reaches the pad, by the events that were written.

mod shadow;

use mantle_core::pad::Events;
use mantle_core::slot::SlotNumber;
use mantle_core::table::Table;
use mantle_core::time::Micros;
use mantle_engine::Observer;
use mantle_files::{DeviceFile, SceneFile};
use mantle_sim::{Pace, SimWorld};

/// Keys by tenths of a second: code and value.
#[derive(Default)]
struct Keys(Vec<(u64, u16, i32)>);

impl Observer for Keys {
    fn handle_frame(&mut self, now: Micros, _slot: SlotNumber, events: &Events) {
        let keys = events.iter().filter(|(kind, ..)| *kind == 1);
        self.0.extend(keys.map(|(_, code, value)| (now.0 / 100_000, code, value)));
    }
}

/// One report without ids, containing two pads.
const TWO_IN_ONE: &str = r#"
version = 1
name = "Two in one"
vendor = 0x1209
product = 0x0b01
[[interface]]
rate = 100
stream = true
descriptor = '''
05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 c0
05 01 09 05 a1 01 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 c0
'''
"#;

/// One hand on each part, the second one from then on.
const HANDS: &str = r#"
[[hand]]
control = "button 1"
at = 1.0
hold = 5
[[hand]]
part = 1
control = "button 2"
at = SECOND
hold = 5
"#;

/// Eight seconds of a device whose two parts play in slot 1.
fn played(file: &str, more: &str, load: impl Fn(&str) -> DeviceFile) -> Vec<(u64, u16, i32)> {
    let text = format!(
        "version = 1\ntitle = \"parts\"\n[[device]]\nfile = \"{file}\"\nport = \"1-2\"\nslots = [1, 1]\n{more}"
    );
    let scene = SceneFile::parse("parts.scene.toml", &text).expect("a scene");
    let pace = Pace::Virtual { until: Micros::seconds(8) };
    let mut world = SimWorld::with_devices(&scene, pace, None, |name| Ok(load(name))).expect("a world");
    let mut keys = Keys::default();
    let mut table = Table::new(world.settings());
    shadow::run(&mut world, &mut table, &mut keys);
    keys.0
}

fn two_in_one(second: &str) -> impl Fn(&str) -> DeviceFile {
    let text = format!("{TWO_IN_ONE}{}", HANDS.replace("SECOND", second));
    move |_| DeviceFile::parse("two.device.toml", &text).expect("a device")
}

#[test]
fn one_report_for_two_parts_makes_one_frame_with_both() {
    let keys = played("two", "", two_in_one("1.0"));
    assert_eq!(keys, [(10, 0x130, 1), (10, 0x131, 1), (60, 0x130, 0), (60, 0x131, 0)]);
}

#[test]
fn unplugging_releases_what_both_parts_hold() {
    let keys = played("two", "gone = [[3.0, 9.0]]", two_in_one("1.5"));
    assert_eq!(keys, [(10, 0x130, 1), (15, 0x131, 1), (30, 0x130, 0), (30, 0x131, 0)]);
}

/// The same with two reports, one for each part.
#[test]
fn unplugging_releases_both_pads_of_one_plug() {
    let shipped = include_str!("../../../devices/jetty-box.device.toml");
    let hands = HANDS.replace("SECOND", "1.5");
    let text = format!("{}{hands}", &shipped[..shipped.find("[[hand]]").expect("hands move it")]);
    let load = move |_: &str| DeviceFile::parse("jetty-box.device.toml", &text).expect("a device");
    let keys = played("jetty-box", "gone = [[3.0, 9.0]]", load);
    assert_eq!(keys, [(10, 0x130, 1), (15, 0x131, 1), (30, 0x130, 0), (30, 0x131, 0)]);
}
