//! Which usage stands for which code: so far as there is one, the usage that the kernel's own HID driver gives that code.

use super::{EvdevCaps, event};
use mantle_hid::{Usage, usage, usage::page};

/// Key codes of the Keyboard page's usages from 0x04 on, 0 where there is none (Linux input event codes).
const KEYBOARD: [u8; 0x68] = [
    30, 48, 46, 32, 18, 33, 34, 35, 23, 36, 37, 38, 50, 49, 24, 25, 16, 19, 31, 20, 22, 47, 17, 45, 21, 44, 2, 3, 4, 5,
    6, 7, 8, 9, 10, 11, 28, 1, 14, 15, 57, 12, 13, 26, 27, 43, 0, 39, 40, 41, 51, 52, 53, 58, 59, 60, 61, 62, 63, 64,
    65, 66, 67, 68, 87, 88, 99, 70, 119, 110, 102, 104, 111, 107, 109, 106, 105, 108, 103, 69, 98, 55, 74, 78, 96, 79,
    80, 81, 75, 76, 77, 71, 72, 73, 82, 83, 86, 127, 116, 117, 183, 184, 185, 186,
];
/// Key codes of the usages 0xe0 to 0xe7.
const MODIFIERS: [u8; 8] = [29, 42, 56, 125, 97, 54, 100, 126];

const BTN_MOUSE: u16 = 0x110;
const BTN_JOYSTICK: u16 = 0x120;
const BTN_GAMEPAD: u16 = 0x130;
const BTN_DIGI: u16 = 0x140;
const BTN_TOUCH: u16 = 0x14a;
const BTN_WHEEL: u16 = 0x150;
const KEY_OK: u16 = 0x160;
const BTN_DPAD_UP: u16 = 0x220;
const BTN_DPAD_RIGHT: u16 = 0x223;
const BTN_TRIGGER_HAPPY: u16 = 0x2c0;

/// The property of nodes whose axes are those of a sensor.
const ACCELEROMETER: u16 = 6;

/// Buttons of a gamepad in the order in which their usages count: by position, as the Linux gamepad specification names
/// the codes; those that it does not place come last.
const GAMEPAD: [u16; 15] =
    [0x130, 0x131, 0x134, 0x133, 0x136, 0x137, 0x138, 0x139, 0x13a, 0x13b, 0x13d, 0x13e, 0x13c, 0x132, 0x135];
/// The vendor whose drivers give west and north each other's code.
const SWAPS_WEST_AND_NORTH: u16 = 0x045e;

/// What kind of thing a node is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Kind {
    Gamepad,
    Joystick,
    Mouse,
    Pointer,
    Touch,
    Keyboard,
    /// A sensor of how the device moves.
    Motion,
}

impl Kind {
    /// None for what nobody would play with: power buttons, lid switches, loudspeakers.
    pub fn of(caps: &EvdevCaps) -> Option<Self> {
        if caps.properties.contains(&ACCELEROMETER) {
            return Some(Self::Motion);
        }
        let key = |codes: std::ops::Range<u16>| caps.of(event::KEY).any(|code| codes.contains(&code));
        let stick = caps.has(event::ABS, 0) && caps.has(event::ABS, 1);
        if key(BTN_GAMEPAD..BTN_DIGI) || key(BTN_DPAD_UP..BTN_DPAD_RIGHT + 1) {
            return Some(Self::Gamepad);
        }
        if key(BTN_JOYSTICK..BTN_GAMEPAD) || key(BTN_WHEEL..KEY_OK) || key(BTN_TRIGGER_HAPPY..0x2e8) {
            return Some(Self::Joystick);
        }
        if caps.has(event::ABS, event::ABS_MT_POSITION_X) && caps.has(event::ABS, event::ABS_MT_POSITION_Y) {
            return Some(Self::Touch);
        }
        if caps.has(event::REL, 0) && caps.has(event::REL, 1) {
            return Some(Self::Mouse);
        }
        if stick && (key(BTN_MOUSE..BTN_JOYSTICK) || key(BTN_DIGI..BTN_WHEEL)) {
            return Some(Self::Pointer);
        }
        if stick {
            return Some(Self::Joystick);
        }
        let typed = caps.of(event::KEY).filter(|code| keyboard_usage(*code).is_some()).count();
        (typed >= 6).then_some(Self::Keyboard)
    }

    pub fn usage(self) -> Usage {
        match self {
            Self::Gamepad => usage::GAME_PAD,
            Self::Joystick => usage::JOYSTICK,
            Self::Mouse => usage::MOUSE,
            Self::Pointer => usage::POINTER,
            Self::Touch => usage::TOUCH_PAD,
            Self::Keyboard => usage::KEYBOARD,
            Self::Motion => usage::ACCELEROMETER_3D,
        }
    }
}

fn keyboard_usage(code: u16) -> Option<Usage> {
    let code = u8::try_from(code).ok().filter(|code| *code != 0)?;
    let plain = KEYBOARD.iter().position(|known| *known == code).map(|at| at as u16 + 0x04);
    let id = plain.or_else(|| MODIFIERS.iter().position(|known| *known == code).map(|at| at as u16 + 0xe0))?;
    Some(Usage::new(page::KEYBOARD, id))
}

/// The usage of a key or button of a node; none for the kinds of tool that a touch surface reports.
pub(super) fn key_usage(kind: Kind, vendor: u16, code: u16) -> Option<Usage> {
    let button = |number: u16| Some(Usage::new(page::BUTTON, number));
    match code {
        BTN_MOUSE..BTN_JOYSTICK => button(code - BTN_MOUSE + 1),
        BTN_JOYSTICK..BTN_GAMEPAD => button(code - BTN_JOYSTICK + 1),
        BTN_GAMEPAD..BTN_DIGI => {
            let swapped = match (vendor, code) {
                (SWAPS_WEST_AND_NORTH, 0x133) => 0x134,
                (SWAPS_WEST_AND_NORTH, 0x134) => 0x133,
                _ => code,
            };
            let place = GAMEPAD.iter().position(|known| *known == swapped)?;
            button(place as u16 + if kind == Kind::Joystick { 17 } else { 1 })
        }
        BTN_TOUCH => Some(usage::TIP_SWITCH),
        BTN_DIGI..BTN_WHEEL => None,
        BTN_WHEEL..KEY_OK => button(code - BTN_WHEEL + 33),
        BTN_DPAD_UP => Some(usage::DPAD_UP),
        0x221 => Some(usage::DPAD_DOWN),
        0x222 => Some(usage::DPAD_LEFT),
        BTN_DPAD_RIGHT => Some(usage::DPAD_RIGHT),
        BTN_TRIGGER_HAPPY..0x2e8 => button(code - BTN_TRIGGER_HAPPY + 49),
        0x100..BTN_MOUSE => button(code - 0x100 + 97),
        _ => keyboard_usage(code).or(Some(Usage::new(page::LINUX_KEY, code))),
    }
}

/// The usage of relative motion; none for what only repeats another one more finely.
pub(super) fn rel_usage(code: u16) -> Option<Usage> {
    Some(match code {
        0..=5 => Usage::new(page::GENERIC_DESKTOP, 0x30 + code),
        6 => usage::PAN,
        7 => usage::DIAL,
        8 => usage::WHEEL,
        9 => usage::SLIDER,
        _ => return None,
    })
}

/// The usage of an absolute axis.
pub(super) fn abs_usage(kind: Kind, code: u16) -> Option<Usage> {
    if kind == Kind::Motion {
        let at = usize::from(code);
        return usage::ACCELERATION.into_iter().chain(usage::ANGULAR_VELOCITY).nth(at);
    }
    Some(match code {
        0..=5 => Usage::new(page::GENERIC_DESKTOP, 0x30 + code),
        0x06 => usage::THROTTLE,
        0x07 => usage::RUDDER,
        0x08 => usage::WHEEL,
        0x09 => usage::ACCELERATOR,
        0x0a => usage::BRAKE,
        // Hats that are no hats, and axes that nobody has given a name.
        0x10..=0x17 | 0x20 | 0x28 => usage::SLIDER,
        0x18 => usage::TIP_PRESSURE,
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a key is called as a source it is called as a target too.
    #[test]
    fn source_keys_and_target_keys_share_their_names() {
        use crate::keys::{KeyAct, KeyTarget};
        let mut seen = 0;
        for stroke in KeyTarget::all() {
            let KeyAct::Key(code) = stroke.act() else { continue };
            let usage = keyboard_usage(code).expect("every key that can be typed is on the keyboard page");
            assert_eq!(usage.name(), stroke.name());
            seen += 1;
        }
        assert!(seen > 100, "{seen}");
    }

    #[test]
    fn keys_map_to_keyboard_page_usages() {
        for (code, id) in
            [(30, 0x04), (44, 0x1d), (28, 0x28), (1, 0x29), (57, 0x2c), (103, 0x52), (42, 0xe1), (117, 0x67)]
        {
            assert_eq!(key_usage(Kind::Keyboard, 0, code), Some(Usage::new(page::KEYBOARD, id)), "{code}");
        }
        assert_eq!(key_usage(Kind::Keyboard, 0, 0x1d0), Some(Usage::new(page::LINUX_KEY, 0x1d0)));
    }

    /// A sensor's node is one by its property, and its axes measure what their resolution says.
    #[test]
    fn a_sensor_node_is_read_in_its_units() {
        use super::super::{EvdevAxis, NodeCapabilities};
        use crate::control::{Layout, Measures};
        let axis =
            |code, far: i32, resolution| EvdevAxis { code, min: -far, max: far, resolution, ..EvdevAxis::default() };
        let axes = (0..3).map(|code| axis(code, 32_768, 8_192)).chain((3..6).map(|code| axis(code, 2_097_152, 1_024)));
        let mut caps = EvdevCaps { axes: axes.collect(), ..EvdevCaps::default() };
        caps.codes.extend((0..6).map(|code| (event::ABS, code)));
        let read = |caps: &EvdevCaps| {
            let node = NodeCapabilities::new(caps, 0).expect("it is something");
            Layout::new(&mantle_hid::Descriptor::parse(node.descriptor()).expect("a good descriptor")).parts.remove(0)
        };
        assert!(!read(&caps).sensors.move_it(), "without the property it is a joystick");
        caps.properties.push(ACCELEROMETER);
        let part = read(&caps);
        assert!(!part.is_game_controller());
        let measured: Vec<_> =
            part.sensors.vectors.iter().map(|one| (one.measures().map(|(what, _)| what), one.clone())).collect();
        for (what, raw, wanted) in [(Measures::Acceleration, 8_192, 1.0), (Measures::Turning, -30 * 1_024, -30.0)] {
            let (_, vector) = measured.iter().find(|(own, _)| *own == Some(what)).expect("it is there");
            let mut frame = mantle_hid::Frame::default();
            let crate::control::Place::Value(value) = vector.of[1].place else { panic!("a number") };
            frame.values[usize::from(value)] = raw;
            assert!((vector.read(&frame)[1] - wanted).abs() < 0.001, "{:?}", vector.read(&frame));
        }
    }

    #[test]
    fn no_two_codes_of_a_node_share_a_usage() {
        for kind in [Kind::Gamepad, Kind::Joystick, Kind::Keyboard] {
            let mut seen = std::collections::BTreeMap::new();
            for code in 1..0x300u16 {
                // Mouse, joystick and gamepad buttons count from 1 each: no node has two of these sets.
                if kind != Kind::Joystick && (0x120..0x130).contains(&code) || (0x110..0x120).contains(&code) {
                    continue;
                }
                if let Some(usage) = key_usage(kind, 0, code)
                    && let Some(other) = seen.insert(usage, code)
                {
                    panic!("{kind:?}: {other:#x} and {code:#x} are both {usage:?}");
                }
            }
        }
    }

    #[test]
    fn buttons_are_matched_by_position() {
        let west = |vendor| key_usage(Kind::Gamepad, vendor, 0x134);
        assert_eq!(west(0x1209), Some(Usage::new(page::BUTTON, 3)));
        assert_eq!(west(SWAPS_WEST_AND_NORTH), Some(Usage::new(page::BUTTON, 4)));
    }
}
