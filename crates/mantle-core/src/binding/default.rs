//! The default bindings: what a device plays when nobody has said anything yet.

use super::{Binding, BindingNumber, How};
use crate::control::{Control, ControlKind, ControlNumber, PartLayout, Plays, Rests, Zone};
use crate::pad::Target;
use mantle_hid::{Usage, usage, usage::page};

/// The bindings of one part, and what stayed without one.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Bindings {
    /// All bindings, by number.
    pub list: Vec<Binding>,
    /// Controls that could not be guessed.
    pub left_out: Vec<LeftOut>,
    /// Rules of the profile that this part cannot play, by their places in it, and why.
    pub not_found: Vec<(u16, String)>,
    /// Axes whose rest is to be judged before they play, and where it should be.
    pub rests: Vec<(ControlNumber, Zone)>,
}

/// A control that plays nothing.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct LeftOut {
    /// The control.
    pub control: ControlNumber,
    /// Why, and what could be done with it.
    pub why: &'static str,
}

impl Bindings {
    /// The bindings of a target.
    pub fn of(&self, target: Target) -> impl Iterator<Item = &Binding> {
        self.list.iter().filter(move |binding| binding.target == target)
    }

    /// The targets that have a source, as bits of [`Target::mask`].
    #[must_use]
    pub fn bound(&self) -> u32 {
        self.list.iter().fold(0, |all, binding| all | binding.target.mask())
    }

    fn bind(&mut self, target: Target, control: &Control, how: How) {
        let number = BindingNumber(self.list.len() as u16);
        self.list.push(Binding { number, target, control: control.number, how, layer: 0, rule: None });
    }
}

const BUTTONS: [Target; 13] = {
    use Target::*;
    [
        South,
        East,
        West,
        North,
        LeftShoulder,
        RightShoulder,
        LeftTrigger,
        RightTrigger,
        Select,
        Start,
        LeftStickPress,
        RightStickPress,
        Mode,
    ]
};

/// The order when both triggers are axes and there are at most eleven buttons.
const BUTTONS_WITH_TRIGGER_AXES: [Target; 11] = {
    use Target::*;
    [South, East, West, North, LeftShoulder, RightShoulder, Select, Start, LeftStickPress, RightStickPress, Mode]
};

/// The order of a mouse's buttons: what is used most in games that aim, and then the buttons of the face.
const BUTTONS_OF_A_MOUSE: [Target; 9] = {
    use Target::*;
    [RightTrigger, LeftTrigger, RightStickPress, East, South, West, North, LeftShoulder, RightShoulder]
};

/// Works out the default bindings of a part.
#[must_use]
pub fn default_bindings(part: &PartLayout) -> Bindings {
    let mut out = Bindings::default();
    if part.controls.iter().any(|control| control.plays.is_some()) {
        // A sheet says what plays what, and then it says all of it.
        from_sheet(&mut out, part);
        leave_out(&mut out, part);
        return out;
    }
    let axis = |usage: Usage| part.find(usage).filter(|control| control.kind == ControlKind::Axis);
    let (rx, ry, z, rz) = (axis(usage::RX), axis(usage::RY), axis(usage::Z), axis(usage::RZ));
    let (accelerator, brake) = (axis(usage::ACCELERATOR), axis(usage::BRAKE));
    let right_by_r = rx.is_some() && ry.is_some() && z.is_some() && rz.is_some();
    let right_by_z = !right_by_r && rx.is_none() && ry.is_none() && z.is_some() && rz.is_some();
    let trigger_axes = right_by_r || (accelerator.is_some() && brake.is_some());

    let of_buttons = || {
        part.controls
            .iter()
            .filter(|control| control.kind == ControlKind::Button && control.usage.page() == page::BUTTON)
    };
    // A button that several reports tell of is one button.
    let mut buttons: Vec<Usage> = of_buttons().map(|control| control.usage).collect();
    buttons.sort_unstable();
    buttons.dedup();
    let counts = |usage: Usage| part.find(usage).filter(|control| control.kind == ControlKind::Relative);
    let (across, down) = (counts(usage::X), counts(usage::Y));
    let is_mouse = across.is_some() && down.is_some();
    let order: &[Target] = if is_mouse {
        &BUTTONS_OF_A_MOUSE
    } else if trigger_axes && buttons.len() <= BUTTONS_WITH_TRIGGER_AXES.len() {
        &BUTTONS_WITH_TRIGGER_AXES
    } else {
        &BUTTONS
    };
    for (usage, target) in buttons.iter().zip(order) {
        for control in of_buttons().filter(|control| control.usage == *usage) {
            out.bind(*target, control, How::Down);
        }
    }

    let left = [Target::LeftStickLeft, Target::LeftStickRight, Target::LeftStickUp, Target::LeftStickDown];
    let right = [Target::RightStickLeft, Target::RightStickRight, Target::RightStickUp, Target::RightStickDown];
    stick(&mut out, axis(usage::X), axis(usage::Y), left);
    if right_by_r {
        stick(&mut out, rx, ry, right);
        trigger(&mut out, z, Target::LeftTrigger);
        trigger(&mut out, rz, Target::RightTrigger);
    } else if right_by_z {
        stick(&mut out, z, rz, right);
    }
    trigger(&mut out, brake, Target::LeftTrigger);
    trigger(&mut out, accelerator, Target::RightTrigger);

    if is_mouse {
        aim(&mut out, across, down, counts(usage::WHEEL));
    }
    if let Some(hat) = part.controls.iter().find(|control| control.kind == ControlKind::Hat) {
        d_pad(&mut out, hat);
    }
    for (usage, target) in [
        (usage::DPAD_UP, Target::Up),
        (usage::DPAD_DOWN, Target::Down),
        (usage::DPAD_LEFT, Target::Left),
        (usage::DPAD_RIGHT, Target::Right),
    ] {
        if let Some(control) = part.find(usage) {
            out.bind(target, control, How::Down);
        }
    }
    leave_out(&mut out, part);
    out
}

fn from_sheet(out: &mut Bindings, part: &PartLayout) {
    const STICKS: [[Target; 2]; 4] = [
        [Target::LeftStickLeft, Target::LeftStickRight],
        [Target::LeftStickUp, Target::LeftStickDown],
        [Target::RightStickLeft, Target::RightStickRight],
        [Target::RightStickUp, Target::RightStickDown],
    ];
    for control in &part.controls {
        match control.plays {
            Some(Plays::Target(target)) if control.kind == ControlKind::Axis => trigger(out, Some(control), target),
            Some(Plays::Target(target)) => out.bind(target, control, How::Down),
            Some(Plays::Stick(axis)) => {
                let [low, high] = STICKS[usize::from(axis) % STICKS.len()];
                out.bind(low, control, How::LowerHalf);
                out.bind(high, control, How::UpperHalf);
                out.rests.push((control.number, Zone::Middle));
            }
            Some(Plays::DPad) => d_pad(out, control),
            None => {}
        }
    }
}

fn d_pad(out: &mut Bindings, hat: &Control) {
    for (bit, target) in [(1, Target::Up), (2, Target::Down), (4, Target::Left), (8, Target::Right)] {
        out.bind(target, hat, How::Direction(bit));
    }
}

fn stick(out: &mut Bindings, x: Option<&Control>, y: Option<&Control>, [left, right, up, down]: [Target; 4]) {
    for (control, low, high) in [(x, left, right), (y, up, down)] {
        if let Some(control) = control {
            out.bind(low, control, How::LowerHalf);
            out.bind(high, control, How::UpperHalf);
            out.rests.push((control.number, Zone::Middle));
        }
    }
}

/// A mouse looks around and aims, its wheel chooses.
fn aim(out: &mut Bindings, x: Option<&Control>, y: Option<&Control>, wheel: Option<&Control>) {
    use Target::*;
    // A wheel counts up when it is turned away.
    let all = [(x, RightStickLeft, RightStickRight), (y, RightStickUp, RightStickDown), (wheel, Down, Up)];
    for (control, low, high) in all {
        if let Some(control) = control {
            out.bind(low, control, How::LowerHalf);
            out.bind(high, control, How::UpperHalf);
        }
    }
}

fn trigger(out: &mut Bindings, control: Option<&Control>, target: Target) {
    if let Some(control) = control {
        out.bind(target, control, How::Travel);
        out.rests.push((control.number, if is_backwards(control) { Zone::HighEnd } else { Zone::LowEnd }));
    }
}

/// Whether an axis was measured to rest at its upper end: a pedal that runs backwards.
pub(super) fn is_backwards(control: &Control) -> bool {
    control.calibration.is_some_and(|calibration| calibration.rests() == Rests::High)
}

fn leave_out(out: &mut Bindings, part: &PartLayout) {
    for control in &part.controls {
        if out.list.iter().any(|binding| binding.control == control.number) {
            continue;
        }
        let why = match control.kind {
            ControlKind::Button => "the pad has no button left for it",
            ControlKind::Axis if matches!(control.usage, usage::Z | usage::RZ) => {
                "one axis alone: two triggers may share it, or it is a throttle"
            }
            ControlKind::Axis => "an axis whose meaning cannot be guessed",
            ControlKind::Hat => "a second hat",
            ControlKind::Relative => "it reports movement, not position",
            ControlKind::Pointer => "it points; a binding says at what",
            ControlKind::Contact => "part of a touch contact",
            ControlKind::Motion => "motion; a binding says of what",
            ControlKind::State => "a state, not a control",
            ControlKind::Key => "a key",
        };
        out.left_out.push(LeftOut { control: control.number, why });
    }
}
