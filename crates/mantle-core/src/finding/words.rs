//! What is asked, and where something was found, in words.

use super::{Ask, ButtonShape, Field, FieldFound, Label, Want, Wanted, place};
use crate::control::Packing;
use crate::sheet::Where;

/// What is asked of the person.
#[must_use]
pub fn prompt(ask: Ask, wanted: Option<&Wanted>, first: bool) -> String {
    let Some(wanted) = wanted else { return "That was the last control.".into() };
    let name = &wanted.name;
    let (low, high) = if name.ends_with('Y') { ("up", "down") } else { ("to the left", "to the right") };
    match (ask, wanted.want) {
        (Ask::HandsOff, _) if first => "Hands off, to learn what the device does by itself.".into(),
        (Ask::HandsOff, _) => "Hands off for a moment.".into(),
        (Ask::Touch, _) => "It sends nothing by itself: press and release any control once.".into(),
        (Ask::Hold(Label::Low), _) => format!("Push {name} all the way {low} and hold it."),
        (Ask::Hold(Label::High), _) => format!("Push {name} all the way {high} and hold it."),
        (Ask::Hold(Label::Toward(direction)), _) => {
            let toward = ["up", "right", "down", "left"][usize::from(direction) % 4];
            format!("Press {name} {toward} and hold it.")
        }
        (Ask::Hold(_), Want::Trigger) => format!("Pull {name} all the way and hold it."),
        (Ask::Hold(_), _) => format!("Press {name} and hold it."),
        (Ask::LetGo, _) => "Let go.".into(),
        (Ask::Move, Want::DPad) => format!("Press all eight directions of {name} in turn, twice around."),
        (Ask::Move, _) => format!("Move {name} slowly from end to end, a few times."),
        (Ask::Decide, _) => format!("Is this {name}?"),
        (Ask::Done, _) => "That was the last control.".into(),
    }
}

/// Where something was found.
#[must_use]
pub fn place_words(found: &FieldFound, shape: &ButtonShape) -> String {
    let one = |field: &Field| {
        let Some(Where::Bits { report, at, size, packing, signed }) = place(field, shape) else { return String::new() };
        let report = if shape.numbered { format!("report {report}, ") } else { String::new() };
        if size == 1 {
            return format!("{report}byte {}, bit {}", at / 8, at % 8);
        }
        let order = if packing == Packing::Big { ", highest bit first" } else { "" };
        let sign = if signed { ", signed" } else { "" };
        format!("{report}{size} bits from bit {at}{order}{sign}")
    };
    match found {
        FieldFound::Button(field, low) => format!("{}{}", one(field), if *low { ", 0 while down" } else { "" }),
        FieldFound::Value(field, value) => format!("{}, {value} while down", one(field)),
        FieldFound::Hat { field, up, steps } => format!("{}, {steps} steps from {up} for up", one(field)),
        FieldFound::Four(fields, _) => format!("four bits: {}", fields.each_ref().map(one).join("; ")),
        FieldFound::Axis { field, range, backwards, .. } => {
            let turned = if *backwards { ", backwards" } else { "" };
            format!("{}, {} to {}{turned}", one(field), range.0, range.1)
        }
    }
}
