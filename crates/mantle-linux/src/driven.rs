//! What the kernel's drivers offer besides input: force feedback, lamps, batteries. Read from sysfs.

use crate::sysfs::{attribute, bits, names};
use crate::uinput::FF_RUMBLE;
use mantle_core::device::{Driven, OsFault};
use rustix::io::Errno;
use std::fs;
use std::path::Path;

/// Valid readings of a battery: a percentage, but not what some drivers report if they do not know.
const PERCENT: std::ops::RangeInclusive<u32> = 0..=100;

/// What the kernel offers for the device in this directory: a HID device's, or an input device's.
#[must_use]
pub fn offered(device: &Path) -> Driven {
    // A HID device has its input devices below it; an input device is one itself.
    let below = device.join("input");
    let inputs: Vec<_> = match names(&below) {
        own if own.is_empty() => vec![device.to_owned()],
        own => own.into_iter().map(|name| below.join(name)).collect(),
    };
    // The kernel also offers rumble where it converts that into another kind of effect, as for HID physical-interface devices.
    let shaken = inputs.iter().find(|input| bits(&attribute(input, "capabilities/ff")).contains(&FF_RUMBLE));
    let event = |input: &Path| names(input).into_iter().find(|name| name.starts_with("event"));
    let shaker = shaken.and_then(|input| event(input)).map(|name| format!("/dev/input/{name}"));
    // Lamps are below the device, or below one of its input devices.
    let lamps = std::iter::once(device.join("leds")).chain(inputs.iter().map(|input| input.join("leds")));
    let lamps: Vec<_> = lamps.flat_map(|leds| names(&leds).into_iter().map(move |name| leds.join(name))).collect();
    let text = |path: &Path| path.display().to_string();
    let function = |path: &Path| {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        name.rsplit(':').next().unwrap_or_default().to_owned()
    };
    let light = lamps.iter().find(|lamp| lamp.join("multi_intensity").exists()).map(|lamp| text(lamp));
    let number = |lamp: &Path| function(lamp).strip_prefix("player-").and_then(|digits| digits.parse::<u8>().ok());
    let mut players: Vec<(u8, String)> = lamps.iter().filter_map(|lamp| Some((number(lamp)?, text(lamp)))).collect();
    players.sort();
    let power = names(&device.join("power_supply")).into_iter().next();
    Driven {
        shaker,
        light,
        players: players.into_iter().map(|(_, lamp)| lamp).collect(),
        power: power.map(|name| text(&device.join("power_supply").join(name))),
    }
}

/// A battery's charge, 0 to 1, and whether it is charging; none if its driver does not know, or reports something impossible.
#[must_use]
pub fn power(supply: &Path) -> Option<(f32, bool)> {
    let present = attribute(supply, "present") != "0" && attribute(supply, "online") != "0";
    let level = attribute(supply, "capacity").parse::<u32>().ok().filter(|level| PERCENT.contains(level) && present)?;
    Some((level as f32 / 100.0, matches!(attribute(supply, "status").as_str(), "Charging" | "Full")))
}

fn write(lamp: &str, name: &str, value: &str) -> Result<(), OsFault> {
    let path = Path::new(lamp).join(name);
    fs::write(&path, value).map_err(|error| OsFault {
        operation: "lighting a lamp".into(),
        path: path.display().to_string(),
        errno: error.raw_os_error().unwrap_or_else(|| Errno::IO.raw_os_error()),
    })
}

/// The most that a lamp can be lit.
fn most(lamp: &str) -> u32 {
    attribute(Path::new(lamp), "max_brightness").parse().unwrap_or(255)
}

/// Gives a lamp a colour.
///
/// # Errors
/// What the system refused.
pub fn light(lamp: &str, colour: [u8; 3]) -> Result<(), OsFault> {
    let most = most(lamp);
    let [red, green, blue] = colour.map(|part| u32::from(part) * most / 255);
    let index = attribute(Path::new(lamp), "multi_index");
    let parts = index.split_ascii_whitespace().map(|name| match name {
        "red" => red,
        "green" => green,
        "blue" => blue,
        _ => 0,
    });
    let parts: Vec<String> = parts.map(|part| part.to_string()).collect();
    write(lamp, "multi_intensity", &parts.join(" "))?;
    write(lamp, "brightness", &most.to_string())
}

/// Lights the lamp of a player, and no other; of more players than lamps each has lamps of its own all the same.
///
/// # Errors
/// What the system refused.
pub fn show_player(lamps: &[String], player: u8) -> Result<(), OsFault> {
    let lit = lit(lamps.len(), player);
    lamps.iter().zip(lit).try_for_each(|(lamp, on)| {
        let value = if on { most(lamp) } else { 0 };
        write(lamp, "brightness", &value.to_string())
    })
}

/// Which of this many lamps show a player: one for each as far as they go, then each together with the last one, and finally all.
fn lit(lamps: usize, player: u8) -> Vec<bool> {
    let Some(player) = usize::from(player).checked_sub(1).filter(|_| lamps > 0) else { return vec![false; lamps] };
    let (own, again) = (player % lamps, player >= lamps);
    (0..lamps).map(|lamp| lamp == own || again && (lamp == lamps - 1 || own == lamps - 1)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A device as its driver would present it: one input device with force feedback, lamps of both kinds, a battery.
    fn device(root: &Path) -> std::path::PathBuf {
        let device = root.join("0005:1209:0B07.0003");
        let file = |path: &str, text: &str| {
            let path = device.join(path);
            fs::create_dir_all(path.parent().expect("a parent")).expect("made");
            fs::write(path, text).expect("written");
        };
        file("input/input7/capabilities/ff", "0\n");
        file("input/input7/event4/dev", "13:68\n");
        file("input/input8/capabilities/ff", "107030000 0\n");
        file("input/input8/event5/dev", "13:69\n");
        for number in [2, 1, 3] {
            file(&format!("leds/lab:white:player-{number}/brightness"), "0\n");
            file(&format!("leds/lab:white:player-{number}/max_brightness"), "1\n");
        }
        file("input/input8/leds/input8:rgb:indicator/multi_intensity", "0 0 0\n");
        file("input/input8/leds/input8:rgb:indicator/multi_index", "green red blue\n");
        file("input/input8/leds/input8:rgb:indicator/brightness", "0\n");
        file("input/input8/leds/input8:rgb:indicator/max_brightness", "100\n");
        file("power_supply/lab-battery/capacity", "42\n");
        file("power_supply/lab-battery/status", "Discharging\n");
        device
    }

    #[test]
    fn driver_features_are_found_and_used() {
        let root = tempfile::tempdir().expect("a directory");
        let device = device(root.path());
        let offered = offered(&device);
        assert_eq!(offered.shaker.as_deref(), Some("/dev/input/event5"), "the node that takes a rumble");
        let names: Vec<_> = offered.players.iter().map(|lamp| lamp.rsplit('-').next().unwrap_or_default()).collect();
        assert_eq!(names, ["1", "2", "3"]);
        let read = |lamp: &str, name: &str| fs::read_to_string(Path::new(lamp).join(name)).expect("read");
        let lamp = offered.light.as_deref().expect("a lamp with a colour");
        light(lamp, [255, 0, 128]).expect("lit");
        assert_eq!((read(lamp, "multi_intensity"), read(lamp, "brightness")), ("0 100 50".into(), "100".into()));
        show_player(&offered.players, 2).expect("lit");
        assert_eq!(offered.players.iter().map(|lamp| read(lamp, "brightness")).collect::<String>(), "010");
        show_player(&offered.players, 0).expect("dark");
        assert_eq!(offered.players.iter().map(|lamp| read(lamp, "brightness")).collect::<String>(), "000");
        fs::remove_dir_all(lamp).expect("gone");
        let fault = light(lamp, [1; 3]).expect_err("it is gone");
        assert_eq!((fault.operation.as_str(), fault.name().as_str()), ("lighting a lamp", "ENOENT"));
    }

    #[test]
    fn a_battery_reports_a_possible_charge_or_none() {
        let root = tempfile::tempdir().expect("a directory");
        let supply = device(root.path()).join("power_supply/lab-battery");
        assert_eq!(power(&supply), Some((0.42, false)));
        for (capacity, status, known) in [
            ("100", "Full", Some((1.0, true))),
            ("0", "Charging", Some((0.0, true))),
            ("101", "", None),
            ("-3", "", None),
            ("", "", None),
        ] {
            fs::write(supply.join("capacity"), capacity).expect("written");
            fs::write(supply.join("status"), status).expect("written");
            assert_eq!(power(&supply), known, "{capacity}");
        }
        fs::write(supply.join("capacity"), "50").expect("written");
        fs::write(supply.join("present"), "0\n").expect("written");
        assert_eq!(power(&supply), None, "it is not there");
    }

    #[test]
    fn player_lamps_differ_per_player() {
        for lamps in 3..6usize {
            let all: Vec<_> = (0..=(2 * lamps - 1) as u8).map(|player| lit(lamps, player)).collect();
            for (at, one) in all.iter().enumerate() {
                assert!(!all[..at].contains(one), "{lamps} lamps, player {at}: {one:?}");
            }
        }
        assert_eq!(lit(4, 1), [true, false, false, false]);
        assert!(lit(0, 3).is_empty());
    }
}
