//! What a person is asked for, in words.

use crate::binding::Target;
use crate::pad::{PadModel, PadTarget};

/// The order of a roll call: what a game needs first comes first.
pub const ORDER: [PadTarget; 25] = {
    use PadTarget::*;
    [
        South,
        East,
        West,
        North,
        LeftShoulder,
        RightShoulder,
        LeftTrigger,
        RightTrigger,
        LeftStickUp,
        LeftStickDown,
        LeftStickLeft,
        LeftStickRight,
        RightStickUp,
        RightStickDown,
        RightStickLeft,
        RightStickRight,
        LeftStickPress,
        RightStickPress,
        Up,
        Down,
        Left,
        Right,
        Start,
        Select,
        Mode,
    ]
};

/// Where a control is on a pad of this model, for somebody who has never held one.
#[must_use]
pub fn position(target: Target, model: &PadModel) -> &'static str {
    use PadTarget::*;
    let Target::Pad(target) = target else { return "on the keyboard or the mouse" };
    // A pad with its own names for sticks is not one held in both hands.
    let own = !model.names.is_empty();
    match target {
        LeftStickUp | LeftStickDown if own => "what tilts away from you and towards you",
        LeftStickLeft | LeftStickRight if own => "what tilts or turns to both sides",
        RightStickUp | RightStickDown | RightStickLeft | RightStickRight if own => "what turns or tilts to both sides",
        Up | Down | Left | Right if own => "a small cross or a hat under the thumb",
        South => "the lowest of the four under the right thumb",
        East => "the right one of the four under the right thumb",
        West => "the left one of the four under the right thumb",
        North => "the highest of the four under the right thumb",
        LeftShoulder => "under the left forefinger, above the trigger",
        RightShoulder => "under the right forefinger, above the trigger",
        LeftTrigger => "under the left forefinger, below the shoulder; it travels",
        RightTrigger => "under the right forefinger, below the shoulder; it travels",
        Select => "the small one left of the middle",
        Start => "the small one right of the middle",
        Mode => "the one in the very middle",
        LeftStickPress => "the left stick, pressed in like a button",
        RightStickPress => "the right stick, pressed in like a button",
        Up | Down | Left | Right => "the cross under the left thumb",
        LeftStickUp | LeftStickDown | LeftStickLeft | LeftStickRight => "the stick that mostly walks or steers",
        RightStickUp | RightStickDown | RightStickLeft | RightStickRight => "the stick that mostly looks around",
        Button(_) => "any button",
        Line(_, _) if target.is_pulled() => "what travels from one end to the other, or a pedal",
        Line(_, _) => "what turns or tilts to both sides",
        Hat(_, _) => "a small cross or a hat under the thumb",
        Motion => "the whole pad, as it is turned",
        Contact(_) => "the touch surface",
    }
}
