//! Usages and usage pages: what a field means, by the numbers of the HID Usage Tables.

use std::fmt;

/// A usage with its page in the high half, as a 4-byte usage item has it.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Usage(pub u32);

impl Usage {
    /// Combines a page and an id.
    #[must_use]
    pub const fn new(page: u16, id: u16) -> Self {
        Self((page as u32) << 16 | id as u32)
    }

    /// The usage page, for example 0x01 for Generic Desktop.
    #[must_use]
    pub const fn page(self) -> u16 {
        (self.0 >> 16) as u16
    }

    /// The id within the page.
    #[must_use]
    pub const fn id(self) -> u16 {
        self.0 as u16
    }
}

impl fmt::Debug for Usage {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:04x}:{:04x}", self.page(), self.id())
    }
}

/// The usage pages that the program itself interprets (HID Usage Tables, section 3).
pub mod page {
    /// Generic Desktop: axes, hats, kinds of device.
    pub const GENERIC_DESKTOP: u16 = 0x01;
    /// Simulation Controls: accelerator, brake, rudder.
    pub const SIMULATION: u16 = 0x02;
    /// Game Controls.
    pub const GAME: u16 = 0x05;
    /// Generic Device Controls: battery strength.
    pub const GENERIC_DEVICE: u16 = 0x06;
    /// Keyboard and Keypad.
    pub const KEYBOARD: u16 = 0x07;
    /// Buttons, numbered from 1.
    pub const BUTTON: u16 = 0x09;
    /// Consumer: media keys.
    pub const CONSUMER: u16 = 0x0c;
    /// Digitizers: pens, touch surfaces.
    pub const DIGITIZER: u16 = 0x0d;
    /// Sensors: how something moves.
    pub const SENSOR: u16 = 0x20;
    /// A page of our own among the reserved ones: key codes of the Linux input system that have no usage.
    pub const LINUX_KEY: u16 = 0xfe00;
    /// The first of the vendor-defined pages.
    pub const VENDOR_FIRST: u16 = 0xff00;
}

macro_rules! usages {
    ($($(#[$doc:meta])* $name:ident = $page:expr, $id:expr;)*) => {
        $($(#[$doc])* pub const $name: Usage = Usage::new($page, $id);)*
    };
}

usages! {
    /// A pointer collection.
    POINTER = page::GENERIC_DESKTOP, 0x01;
    /// A mouse.
    MOUSE = page::GENERIC_DESKTOP, 0x02;
    /// A joystick.
    JOYSTICK = page::GENERIC_DESKTOP, 0x04;
    /// A game pad.
    GAME_PAD = page::GENERIC_DESKTOP, 0x05;
    /// A keyboard.
    KEYBOARD = page::GENERIC_DESKTOP, 0x06;
    /// A keypad.
    KEYPAD = page::GENERIC_DESKTOP, 0x07;
    /// A multi-axis controller.
    MULTI_AXIS = page::GENERIC_DESKTOP, 0x08;
    /// Switches the machine off, or wakes it.
    SYSTEM_CONTROL = page::GENERIC_DESKTOP, 0x80;
    /// Linear axis X.
    X = page::GENERIC_DESKTOP, 0x30;
    /// Linear axis Y.
    Y = page::GENERIC_DESKTOP, 0x31;
    /// Linear axis Z.
    Z = page::GENERIC_DESKTOP, 0x32;
    /// Rotation about X.
    RX = page::GENERIC_DESKTOP, 0x33;
    /// Rotation about Y.
    RY = page::GENERIC_DESKTOP, 0x34;
    /// Rotation about Z.
    RZ = page::GENERIC_DESKTOP, 0x35;
    /// Slider.
    SLIDER = page::GENERIC_DESKTOP, 0x36;
    /// Dial.
    DIAL = page::GENERIC_DESKTOP, 0x37;
    /// Wheel.
    WHEEL = page::GENERIC_DESKTOP, 0x38;
    /// Hat switch.
    HAT = page::GENERIC_DESKTOP, 0x39;
    /// Start.
    START = page::GENERIC_DESKTOP, 0x3d;
    /// Select.
    SELECT = page::GENERIC_DESKTOP, 0x3e;
    /// System main menu.
    MAIN_MENU = page::GENERIC_DESKTOP, 0x85;
    /// Direction pad up.
    DPAD_UP = page::GENERIC_DESKTOP, 0x90;
    /// Direction pad down.
    DPAD_DOWN = page::GENERIC_DESKTOP, 0x91;
    /// Direction pad right.
    DPAD_RIGHT = page::GENERIC_DESKTOP, 0x92;
    /// Direction pad left.
    DPAD_LEFT = page::GENERIC_DESKTOP, 0x93;
    /// Accelerator pedal.
    ACCELERATOR = page::SIMULATION, 0xc4;
    /// Brake pedal.
    BRAKE = page::SIMULATION, 0xc5;
    /// Rudder.
    RUDDER = page::SIMULATION, 0xba;
    /// Throttle.
    THROTTLE = page::SIMULATION, 0xbb;
    /// Steering.
    STEERING = page::SIMULATION, 0xc8;
    /// Application control: home.
    AC_HOME = page::CONSUMER, 0x223;
    /// Application control: back.
    AC_BACK = page::CONSUMER, 0x224;
    /// Panning: a sideways wheel.
    PAN = page::CONSUMER, 0x238;
    /// A touch screen.
    TOUCH_SCREEN = page::DIGITIZER, 0x04;
    /// A touch pad.
    TOUCH_PAD = page::DIGITIZER, 0x05;
    /// One finger, or what is taken for one.
    FINGER = page::DIGITIZER, 0x22;
    /// How hard something presses on a surface.
    TIP_PRESSURE = page::DIGITIZER, 0x30;
    /// Whether something touches a surface.
    TIP_SWITCH = page::DIGITIZER, 0x42;
    /// Battery strength.
    BATTERY_STRENGTH = page::GENERIC_DEVICE, 0x20;
    /// An acceleration sensor with three axes.
    ACCELEROMETER_3D = page::SENSOR, 0x73;
}

/// Acceleration along X, Y and Z.
pub const ACCELERATION: [Usage; 3] =
    [Usage::new(page::SENSOR, 0x453), Usage::new(page::SENSOR, 0x454), Usage::new(page::SENSOR, 0x455)];
/// Angular velocity about X, Y and Z.
pub const ANGULAR_VELOCITY: [Usage; 3] =
    [Usage::new(page::SENSOR, 0x457), Usage::new(page::SENSOR, 0x458), Usage::new(page::SENSOR, 0x459)];

/// The keys of the keyboard page from 0x28 on, after the letters and digits, as on a keyboard with an English layout.
const KEYS: [&str; 62] = [
    "key Enter",
    "key Escape",
    "key Backspace",
    "key Tab",
    "key Space",
    "key minus",
    "key equals",
    "key left bracket",
    "key right bracket",
    "key backslash",
    "",
    "key semicolon",
    "key apostrophe",
    "key grave",
    "key comma",
    "key full stop",
    "key slash",
    "key Caps Lock",
    "key F1",
    "key F2",
    "key F3",
    "key F4",
    "key F5",
    "key F6",
    "key F7",
    "key F8",
    "key F9",
    "key F10",
    "key F11",
    "key F12",
    "key Print Screen",
    "key Scroll Lock",
    "key Pause",
    "key Insert",
    "key Home",
    "key Page Up",
    "key Delete",
    "key End",
    "key Page Down",
    "key right arrow",
    "key left arrow",
    "key down arrow",
    "key up arrow",
    "key Num Lock",
    "keypad divide",
    "keypad times",
    "keypad minus",
    "keypad plus",
    "keypad Enter",
    "keypad 1",
    "keypad 2",
    "keypad 3",
    "keypad 4",
    "keypad 5",
    "keypad 6",
    "keypad 7",
    "keypad 8",
    "keypad 9",
    "keypad 0",
    "keypad point",
    "key less than",
    "key Menu",
];
const MODIFIERS: [&str; 8] = [
    "key left Control",
    "key left Shift",
    "key left Alt",
    "key left Meta",
    "key right Control",
    "key right Shift",
    "key right Alt",
    "key right Meta",
];

/// A key by its name; one that has none by its number.
fn key_name(id: u16) -> String {
    let named = match id {
        0x04..=0x1d => return format!("key {}", char::from(b'A' + (id - 0x04) as u8)),
        0x1e..=0x26 => return format!("key {}", id - 0x1d),
        0x27 => "key 0",
        0x28..=0x65 => KEYS[usize::from(id - 0x28)],
        0xe0..=0xe7 => MODIFIERS[usize::from(id - 0xe0)],
        _ => "",
    };
    if named.is_empty() { format!("key 0x{id:02x}") } else { named.to_owned() }
}

impl Usage {
    /// The usage with a name, as given by [`Usage::name`].
    #[must_use]
    pub fn from_name(name: &str) -> Option<Self> {
        if let Some(number) = name.strip_prefix("button ") {
            return number.parse().ok().filter(|number| *number > 0).map(|number| Self::new(page::BUTTON, number));
        }
        if let Some(number) = name.strip_prefix("key 0x") {
            return u16::from_str_radix(number, 16).ok().map(|number| Self::new(page::KEYBOARD, number));
        }
        let pages = [page::GENERIC_DESKTOP, page::SIMULATION, page::GENERIC_DEVICE, page::KEYBOARD];
        let all = pages.into_iter().flat_map(|page| (1..0x100).map(move |id| Self::new(page, id)));
        all.into_iter().find(|usage| usage.name().eq_ignore_ascii_case(name))
    }

    /// A short name in the field's own words, in lower case except for axes. Usages without a name here are `usage 0xPPPP:IIII`.
    #[must_use]
    pub fn name(self) -> String {
        let known = match (self.page(), self.id()) {
            (page::BUTTON, n) => return format!("button {n}"),
            (page::KEYBOARD, n) => return key_name(n),
            (page::LINUX_KEY, n) => return format!("key code {n}"),
            (page::CONSUMER, 0x238) => "pan",
            (page::DIGITIZER, id) => match id {
                0x01 => "digitizer",
                0x02 => "pen",
                0x04 => "touch screen",
                0x05 => "touch pad",
                0x22 => "finger",
                0x30 => "pressure",
                0x32 => "in range",
                0x42 => "tip",
                0x47 => "confidence",
                0x48 => "width",
                0x49 => "height",
                0x51 => "contact",
                0x54 => "contact count",
                0x56 => "scan time",
                _ => "",
            },
            (page::CONSUMER, n) => return format!("media 0x{n:03x}"),
            (page::GENERIC_DESKTOP, id) => match id {
                0x01 => "pointer",
                0x02 => "mouse",
                0x04 => "joystick",
                0x05 => "game pad",
                0x06 => "keyboard",
                0x07 => "keypad",
                0x08 => "multi-axis controller",
                0x30 => "X",
                0x31 => "Y",
                0x32 => "Z",
                0x33 => "Rx",
                0x34 => "Ry",
                0x35 => "Rz",
                0x36 => "slider",
                0x37 => "dial",
                0x38 => "wheel",
                0x39 => "hat",
                0x3d => "start",
                0x3e => "select",
                0x80 => "system control",
                0x85 => "system main menu",
                0x90 => "d-pad up",
                0x91 => "d-pad down",
                0x92 => "d-pad right",
                0x93 => "d-pad left",
                _ => "",
            },
            (page::SIMULATION, id) => match id {
                0xb0 => "aileron",
                0xb8 => "elevator",
                0xba => "rudder",
                0xbb => "throttle",
                0xc4 => "accelerator",
                0xc5 => "brake",
                0xc6 => "clutch",
                0xc8 => "steering",
                _ => "",
            },
            (page::GENERIC_DEVICE, 0x20) => "battery strength",
            (page::SENSOR, id) => match id {
                0x73 => "accelerometer",
                0x453 => "acceleration X",
                0x454 => "acceleration Y",
                0x455 => "acceleration Z",
                0x457 => "gyro X",
                0x458 => "gyro Y",
                0x459 => "gyro Z",
                _ => "",
            },
            _ => "",
        };
        if known.is_empty() { format!("usage 0x{:04x}:{:04x}", self.page(), self.id()) } else { known.to_owned() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_key_has_one_name_and_is_found_by_name_and_number() {
        for id in 0..0x100 {
            let usage = Usage::new(page::KEYBOARD, id);
            assert_eq!(Usage::from_name(&usage.name()), Some(usage), "{}", usage.name());
            assert_eq!(Usage::from_name(&usage.name().to_uppercase().replacen("KEY 0X", "key 0x", 1)), Some(usage));
            assert_eq!(Usage::from_name(&format!("key 0x{id:02x}")), Some(usage));
        }
        let names = [0x1a, 0x27, 0x65, 0xe1, 0x32].map(|id| Usage::new(page::KEYBOARD, id).name());
        assert_eq!(names, ["key W", "key 0", "key Menu", "key left Shift", "key 0x32"]);
        for name in ["keyboard", "keypad"] {
            assert_eq!(Usage::from_name(name).map(|usage| (usage.page(), usage.name())), Some((1, name.into())));
        }
    }
}
