//! Default bindings: what a device plays before anybody has said anything.
//!
//! A part's axes decide which row of one table applies ([`Row`]); its buttons follow from the row and from the button usages its
//! descriptor declares. A rest that was observed can change what axes play, never what buttons do.

use super::axis_set as set;
use super::bindings::{Bindings, LeftOut};
use super::{BindingNumber, How};
use crate::control::{Control, ControlKind, ControlNumber, PartLayout, Plays, Rests, Zone};
use crate::pad::PadTarget;
use mantle_hid::{Usage, usage, usage::page};

/// The rows of the table, by a part's axes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Row {
    /// A multi-axis application: a puck.
    Puck,
    /// All six in a joystick application: a flight stick.
    FlightStick,
    /// All six, the right stick on Rx and Ry.
    SixByRx,
    /// All six, the right stick on Z and Rz.
    SixByZ,
    /// X Y Rx Ry, accelerator and brake.
    PedalsByRx,
    /// X Y Z Rz, accelerator and brake.
    PedalsByZ,
    /// X Y Rx Ry, and a Z shared by two triggers.
    SharedZ,
    /// X Y Rx Ry.
    FourByRx,
    /// X Y Z Rz.
    FourByZ,
    /// A steering wheel.
    Steering,
    /// A stick with a twist.
    Twist,
    /// One stick, perhaps with pedals.
    Stick,
    /// Pedals.
    Pedals,
    /// Anything else.
    Other,
}

impl Row {
    /// The row for a part: the first whose axes match exactly.
    fn of(part: &PartLayout) -> Self {
        use set::*;
        const SIX: u16 = X | Y | Z | RX | RY | RZ;
        let own = set::ALL.iter().filter(|(_, usage)| axis(part, *usage).is_some()).fold(0, |all, (bit, _)| all | bit);
        // Whether a part has these axes and, besides them, only some of those.
        let is = |all: u16, or: u16| own & all == all && own & !(all | or) == 0;
        if part.usage == usage::MULTI_AXIS && own != 0 {
            return Self::Puck;
        }
        if own == SIX && part.usage == usage::JOYSTICK {
            return Self::FlightStick;
        }
        if own == SIX && part.usage == usage::GAME_PAD {
            let declared = |usage| axis(part, usage).map_or(0, |control| control.declared);
            let last_of_z = declared(usage::Z).max(declared(usage::RZ));
            let first_of_r = declared(usage::RX).min(declared(usage::RY));
            return if last_of_z < first_of_r { Self::SixByZ } else { Self::SixByRx };
        }
        match own {
            _ if is(X | Y | RX | RY | ACCELERATOR | BRAKE, Z | RZ) => Self::PedalsByRx,
            _ if is(X | Y | Z | RZ | ACCELERATOR | BRAKE, 0) => Self::PedalsByZ,
            _ if is(X | Y | RX | RY | Z, 0) => Self::SharedZ,
            _ if is(X | Y | RX | RY, RZ) => Self::FourByRx,
            _ if is(X | Y | Z | RZ, 0) => Self::FourByZ,
            _ if is(STEERING, ACCELERATOR | BRAKE) => Self::Steering,
            _ if is(X | Y | RUDDER, Z) || is(X | Y | RZ, Z) => Self::Twist,
            _ if is(X | Y, ACCELERATOR | BRAKE | Z) => Self::Stick,
            _ if own != 0 && is(0, RUDDER | ACCELERATOR | BRAKE) => Self::Pedals,
            _ => Self::Other,
        }
    }

    /// The pair of axes that may turn out to be triggers, judged by their rest, and the right stick's pair if there is
    /// one: as the descriptor has them, or exchanged.
    fn pairs(self) -> Option<([Usage; 2], Option<[Usage; 2]>)> {
        let (z, r) = ([usage::Z, usage::RZ], [usage::RX, usage::RY]);
        match self {
            Self::SixByRx => Some((r, Some(z))),
            Self::SixByZ => Some((z, Some(r))),
            Self::FourByZ => Some((z, None)),
            _ => None,
        }
    }
}

/// Whether a part is better for flying than as a common pad: a puck, or a flight stick.
#[must_use]
pub fn flies(part: &PartLayout) -> bool {
    let of = |usages: &[Usage]| part.controls.iter().any(|control| usages.contains(&control.usage));
    let pedals = of(&[usage::ACCELERATOR, usage::BRAKE]) && !of(&[usage::X, usage::Y, usage::STEERING]);
    let flown = of(&[usage::RUDDER, usage::THROTTLE]) || pedals;
    !is_said(part) && (flown || matches!(Row::of(part), Row::Puck | Row::FlightStick))
}

/// Two axes that are the right stick unless they are seen to rest at their ends, which makes them triggers; and the
/// axes that are sticks in that case, which have to stand in the middle meanwhile.
#[must_use]
pub fn doubtful_pair(part: &PartLayout) -> Option<([ControlNumber; 2], Vec<ControlNumber>)> {
    if is_said(part) {
        return None;
    }
    let (pair, other) = Row::of(part).pairs()?;
    let number = |usage: Usage| axis(part, usage).map(|control| control.number);
    let sticks = [usage::X, usage::Y].into_iter().chain(other.into_iter().flatten());
    Some(([number(pair[0])?, number(pair[1])?], sticks.filter_map(number).collect()))
}

const BUTTONS: [(u16, PadTarget); 13] = {
    use PadTarget::*;
    [
        (1, South),
        (2, East),
        (3, West),
        (4, North),
        (5, LeftShoulder),
        (6, RightShoulder),
        (7, LeftTrigger),
        (8, RightTrigger),
        (9, Select),
        (10, Start),
        (11, LeftStickPress),
        (12, RightStickPress),
        (13, Mode),
    ]
};

/// The order of buttons if both triggers are axes and there are at most eleven buttons.
const BUTTONS_WITH_TRIGGER_AXES: [(u16, PadTarget); 11] = {
    use PadTarget::*;
    [
        (1, South),
        (2, East),
        (3, West),
        (4, North),
        (5, LeftShoulder),
        (6, RightShoulder),
        (7, Select),
        (8, Start),
        (9, LeftStickPress),
        (10, RightStickPress),
        (11, Mode),
    ]
};

/// The kernel's order of gamepad buttons, with gaps for two that hardly any pad has.
const BUTTONS_OF_THE_KERNEL: [(u16, PadTarget); 13] = {
    use PadTarget::*;
    [
        (1, South),
        (2, East),
        (4, West),
        (5, North),
        (7, LeftShoulder),
        (8, RightShoulder),
        (9, LeftTrigger),
        (10, RightTrigger),
        (11, Select),
        (12, Start),
        (13, Mode),
        (14, LeftStickPress),
        (15, RightStickPress),
    ]
};

/// The order of a mouse's buttons: first what aiming games use most, then the face buttons.
const BUTTONS_OF_A_MOUSE: [(u16, PadTarget); 9] = {
    use PadTarget::*;
    [
        (1, RightTrigger),
        (2, LeftTrigger),
        (3, RightStickPress),
        (4, East),
        (5, South),
        (6, West),
        (7, North),
        (8, LeftShoulder),
        (9, RightShoulder),
    ]
};

const LEFT: [PadTarget; 4] =
    [PadTarget::LeftStickLeft, PadTarget::LeftStickRight, PadTarget::LeftStickUp, PadTarget::LeftStickDown];
const RIGHT: [PadTarget; 4] =
    [PadTarget::RightStickLeft, PadTarget::RightStickRight, PadTarget::RightStickUp, PadTarget::RightStickDown];

/// Works out the default bindings of a part.
#[must_use]
pub fn default_bindings(part: &PartLayout) -> Bindings {
    let mut out = Bindings::default();
    if is_said(part) {
        from_sheet(&mut out, part);
        leave_out(&mut out, part);
        return out;
    }
    let row = Row::of(part);
    bind_buttons(&mut out, part, row);
    bind_axes(&mut out, part, row);
    let counts = |usage: Usage| of_kind(part, usage, ControlKind::Relative);
    if is_mouse(part) {
        aim(&mut out, counts(usage::X), counts(usage::Y), counts(usage::WHEEL));
    }
    if part.is_absolute_pointer() {
        let place = |usage: Usage| of_kind(part, usage, ControlKind::Pointer);
        stick(&mut out, place(usage::X), place(usage::Y), LEFT);
    }
    if let Some(hat) = part.controls.iter().find(|control| control.kind == ControlKind::Hat) {
        d_pad(&mut out, hat);
    }
    for (usage, target) in [
        (usage::DPAD_UP, PadTarget::Up),
        (usage::DPAD_DOWN, PadTarget::Down),
        (usage::DPAD_LEFT, PadTarget::Left),
        (usage::DPAD_RIGHT, PadTarget::Right),
    ] {
        if let Some(control) = part.find(usage) {
            out.bind(target, control, How::Down);
        }
    }
    // A control named after a target plays that target, if nothing else does yet.
    for (usage, target) in [
        (usage::START, PadTarget::Start),
        (usage::SELECT, PadTarget::Select),
        (usage::MAIN_MENU, PadTarget::Mode),
        (usage::AC_HOME, PadTarget::Mode),
        (usage::AC_BACK, PadTarget::Select),
    ] {
        let button = |control: &&Control| matches!(control.kind, ControlKind::Button | ControlKind::Key);
        let named = part.find(usage).filter(button);
        if let Some(control) = named.filter(|_| out.of(target).next().is_none() && !part.is_keyboard()) {
            out.bind(target, control, How::Down);
        }
    }
    one_of_each_trigger(&mut out, part);
    leave_out(&mut out, part);
    out
}

/// A sheet that says what plays what says all of it.
fn is_said(part: &PartLayout) -> bool {
    part.controls.iter().any(|control| control.plays.is_some())
}

fn of_kind(part: &PartLayout, usage: Usage, kind: ControlKind) -> Option<&Control> {
    part.controls.iter().find(|control| control.usage == usage && control.kind == kind)
}

fn axis(part: &PartLayout, usage: Usage) -> Option<&Control> {
    of_kind(part, usage, ControlKind::Axis)
}

fn is_mouse(part: &PartLayout) -> bool {
    [usage::X, usage::Y].iter().all(|usage| of_kind(part, *usage, ControlKind::Relative).is_some())
}

fn bind_buttons(out: &mut Bindings, part: &PartLayout, row: Row) {
    let of_buttons = || {
        part.controls
            .iter()
            .filter(|control| control.kind == ControlKind::Button && control.usage.page() == page::BUTTON)
    };
    // A button found in several reports is one button.
    let mut declared: Vec<u16> = of_buttons().map(|control| control.usage.id()).collect();
    declared.sort_unstable();
    declared.dedup();
    let count = declared.len();
    let has = |number: u16| declared.contains(&number);
    let both_pedals = axis(part, usage::ACCELERATOR).is_some() && axis(part, usage::BRAKE).is_some();
    let trigger_axes = matches!(row, Row::SixByRx | Row::SixByZ | Row::SharedZ)
        || (both_pedals && matches!(row, Row::PedalsByRx | Row::PedalsByZ | Row::Steering | Row::Stick | Row::Pedals));
    let gaps = !has(3) && !has(6) && declared.iter().any(|number| *number > 6);
    let kernel = gaps || (matches!(row, Row::PedalsByRx | Row::PedalsByZ) && count >= 14);
    let hat = part.controls.iter().any(|control| control.kind == ControlKind::Hat);
    let maybe_d_pad = count == 16 && !hat && matches!(row, Row::PedalsByZ | Row::FourByRx | Row::FourByZ);
    let order: &[(u16, PadTarget)] = if is_mouse(part) {
        &BUTTONS_OF_A_MOUSE
    } else if kernel {
        &BUTTONS_OF_THE_KERNEL
    } else if trigger_axes && count <= BUTTONS_WITH_TRIGGER_AXES.len() {
        &BUTTONS_WITH_TRIGGER_AXES
    } else {
        &BUTTONS
    };
    let unclear = |number: u16| maybe_d_pad && !kernel && number >= 13;
    for control in of_buttons() {
        let number = control.usage.id();
        if unclear(number) {
            out.leave(control, "some pads have their d-pad on 13 to 16: press it, and bind the ones that respond");
        } else if let Some((_, target)) = order.iter().find(|(own, _)| *own == number) {
            out.bind(*target, control, How::Down);
        }
    }
    out.list.sort_by_key(|binding| order.iter().position(|(_, target)| binding.target == *target));
    for (at, binding) in out.list.iter_mut().enumerate() {
        binding.number = BindingNumber(at as u16);
    }
}

fn bind_axes(out: &mut Bindings, part: &PartLayout, row: Row) {
    let axis = |usage: Usage| axis(part, usage);
    let (x, y) = (axis(usage::X), axis(usage::Y));
    let (z, rx, ry, rz) = (axis(usage::Z), axis(usage::RX), axis(usage::RY), axis(usage::RZ));
    let (accelerator, brake) = (axis(usage::ACCELERATOR), axis(usage::BRAKE));
    stick(out, x, y, LEFT);
    let turned = part.triggers_turned;
    match row {
        Row::SixByRx | Row::SixByZ => {
            let by_rx = (row == Row::SixByRx) != turned;
            let ([across, down], [left, right]) = if by_rx { ([rx, ry], [z, rz]) } else { ([z, rz], [rx, ry]) };
            stick(out, across, down, RIGHT);
            trigger(out, left, PadTarget::LeftTrigger);
            trigger(out, right, PadTarget::RightTrigger);
        }
        Row::FourByZ if turned => {
            trigger(out, z, PadTarget::LeftTrigger);
            trigger(out, rz, PadTarget::RightTrigger);
        }
        Row::FourByZ | Row::PedalsByZ => stick(out, z, rz, RIGHT),
        Row::FourByRx | Row::PedalsByRx => stick(out, rx, ry, RIGHT),
        Row::SharedZ => {
            stick(out, rx, ry, RIGHT);
            if let Some(z) = z {
                out.bind(PadTarget::LeftTrigger, z, How::UpperHalf);
                out.bind(PadTarget::RightTrigger, z, How::LowerHalf);
                out.rests.push((z.number, Zone::Middle));
            }
        }
        Row::FlightStick => stick(out, rz, None, RIGHT),
        Row::Twist => stick(out, axis(usage::RUDDER).or(rz), None, RIGHT),
        Row::Steering => stick(out, axis(usage::STEERING), None, LEFT),
        Row::Pedals => stick(out, axis(usage::RUDDER), None, LEFT),
        Row::Puck | Row::Stick | Row::Other => {}
    }
    if matches!(row, Row::PedalsByRx | Row::PedalsByZ | Row::Steering | Row::Stick | Row::Pedals) {
        trigger(out, brake, PadTarget::LeftTrigger);
        trigger(out, accelerator, PadTarget::RightTrigger);
    }
    for control in part.controls.iter().filter(|control| control.kind == ControlKind::Axis) {
        let counts = set::ALL.iter().any(|(_, usage)| *usage == control.usage);
        if out.uses(control.number) || !counts {
            continue;
        }
        let why = match (row, control.usage) {
            (Row::Puck | Row::FlightStick, _) => "a common pad has no axis for it; a flight stick has",
            (Row::Stick | Row::Twist, usage::Z) => {
                "a throttle, or an axis shared by two triggers: measure it, and bind its halves"
            }
            (Row::PedalsByRx | Row::FourByRx, _) => {
                "other axes are the right stick and the triggers: bind it if it is one of those"
            }
            _ => "an axis whose purpose cannot be guessed: bind it to what it is",
        };
        out.leave(control, why);
    }
}

/// The reason for a button whose trigger is played by an axis: the button goes down with the axis.
pub const DOUBLED: &str = "an axis already plays that trigger: this button goes down with it, or is something else";

/// A trigger that an axis plays is not also played by a button.
fn one_of_each_trigger(out: &mut Bindings, part: &PartLayout) {
    // What was learnt about a rest changes what axes play, never what buttons do.
    if is_mouse(part) || (part.triggers_turned && Row::of(part) == Row::FourByZ) {
        return;
    }
    for target in [PadTarget::LeftTrigger, PadTarget::RightTrigger] {
        if !out.of(target).any(|binding| binding.how != How::Down) {
            continue;
        }
        let doubled: Vec<_> =
            out.of(target).filter(|binding| binding.how == How::Down).map(|own| own.control).collect();
        out.list.retain(|binding| binding.target != target || binding.how != How::Down);
        for control in part.controls.iter().filter(|control| doubled.contains(&control.number)) {
            out.leave(control, DOUBLED);
        }
    }
    for (at, binding) in out.list.iter_mut().enumerate() {
        binding.number = BindingNumber(at as u16);
    }
}

fn from_sheet(out: &mut Bindings, part: &PartLayout) {
    const STICKS: [[PadTarget; 2]; 4] = [
        [PadTarget::LeftStickLeft, PadTarget::LeftStickRight],
        [PadTarget::LeftStickUp, PadTarget::LeftStickDown],
        [PadTarget::RightStickLeft, PadTarget::RightStickRight],
        [PadTarget::RightStickUp, PadTarget::RightStickDown],
    ];
    for control in &part.controls {
        match control.plays {
            Some(Plays::Target(target)) if control.kind == ControlKind::Axis && target.axis().is_some() => {
                trigger(out, Some(control), target);
            }
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
    for (bit, target) in [(1, PadTarget::Up), (2, PadTarget::Down), (4, PadTarget::Left), (8, PadTarget::Right)] {
        out.bind(target, hat, How::Direction(bit));
    }
}

fn stick(out: &mut Bindings, x: Option<&Control>, y: Option<&Control>, [left, right, up, down]: [PadTarget; 4]) {
    for (control, low, high) in [(x, left, right), (y, up, down)] {
        if let Some(control) = control {
            out.bind(low, control, How::LowerHalf);
            out.bind(high, control, How::UpperHalf);
            if control.kind == ControlKind::Axis {
                out.rests.push((control.number, Zone::Middle));
            }
        }
    }
}

/// A mouse looks around and aims; its wheel chooses.
fn aim(out: &mut Bindings, x: Option<&Control>, y: Option<&Control>, wheel: Option<&Control>) {
    use PadTarget::*;
    // A wheel counts up when turned away from the person.
    let all = [(x, RightStickLeft, RightStickRight), (y, RightStickUp, RightStickDown), (wheel, Down, Up)];
    for (control, low, high) in all {
        if let Some(control) = control {
            out.bind(low, control, How::LowerHalf);
            out.bind(high, control, How::UpperHalf);
        }
    }
}

fn trigger(out: &mut Bindings, control: Option<&Control>, target: PadTarget) {
    if let Some(control) = control {
        out.bind(target, control, How::Travel);
        out.rests.push((control.number, if is_backwards(control) { Zone::HighEnd } else { Zone::LowEnd }));
    }
}

/// Whether an axis was measured to rest at its upper end: an inverted pedal.
pub(super) fn is_backwards(control: &Control) -> bool {
    control.calibration.is_some_and(|calibration| calibration.rests() == Rests::High)
}

fn leave_out(out: &mut Bindings, part: &PartLayout) {
    for control in &part.controls {
        if out.uses(control.number) {
            continue;
        }
        let why = match control.kind {
            ControlKind::Button => "the pad has no button left for it",
            ControlKind::Axis => {
                "it may rest anywhere, and would hold something down on a common pad; bind it if it springs back"
            }
            ControlKind::Hat => "a second hat",
            ControlKind::Relative => "it reports movement, not position",
            ControlKind::Pointer => "it points; a binding says where",
            ControlKind::Contact => "part of a touch contact",
            ControlKind::Motion => "motion; a binding says what for",
            ControlKind::State => "a state, not a control",
            ControlKind::Key => "a key",
        };
        out.leave(control, why);
    }
    let place = |left: &LeftOut| part.controls.iter().position(|control| control.number == left.control);
    out.left_out.sort_by_key(place);
}
