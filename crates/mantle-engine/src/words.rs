//! Short words for the board.

use mantle_core::cover::{Cover, Strength};
use mantle_core::slot::SlotNumber;
use mantle_core::table::{Slot, Table};
use mantle_talk::{CaptureView, SlotRow};

/// What was heard of a press.
pub(crate) fn capture_view(capturing: &mantle_core::listening::Capturing) -> CaptureView {
    use mantle_core::rollcall::Heard;
    let (_, heard) = capturing.heard();
    CaptureView {
        slot: capturing.slot,
        target: capturing.target,
        pressed: *heard == Heard::Pressed,
        taken: match heard {
            Heard::Taken(taken) => Some((taken.source.text(), taken.inverted, taken.why.clone())),
            _ => None,
        },
        unclear: match heard {
            Heard::Unclear(why) => Some(why.clone()),
            _ => None,
        },
    }
}

/// The feel in two short lines, the unusual first.
pub(crate) fn feel_words(feel: &mantle_core::feel::Feel) -> [String; 2] {
    use mantle_core::feel::percent;
    let shapes: Vec<_> = feel.sticks.iter().chain(&feel.triggers).collect();
    let curved = shapes.iter().find(|shape| shape.curve != Default::default());
    let curve = curved.map_or("straight", |shape| shape.curve.name().unwrap_or("a curve of its own"));
    let [left, right] = feel.sticks.map(|shape| shape.dead_zone);
    let dead = if left == right {
        format!("dead zone {}", percent(left))
    } else {
        format!("dead {}, {}", percent(left), percent(right))
    };
    [curve.into(), dead]
}

/// What games see of a slot, in two short lines.
pub(crate) fn games_words(table: &Table, number: SlotNumber, slot: &Slot) -> [String; 2] {
    use mantle_core::path::PadCondition;
    if !matches!(slot.pad, PadCondition::Made | PadCondition::Unwanted) {
        return [SlotRow::NO_PAD.into(), String::new()];
    }
    if let Some(seen) = table.verdict(number).short() {
        let gone = (0..slot.session.members.len()).all(|index| table.part_of(number, index).is_none());
        return if gone && table.verdict(number).is_well() { [seen[0].clone(), "neutral".into()] } else { seen };
    }
    let mut second = "alone".to_owned();
    for index in 0..slot.session.members.len() {
        if let Some((device, _)) = table.part_of(number, index) {
            match &device.cover {
                Cover::Covered(Strength::Held) => second = format!("lists {} too", device.name),
                Cover::Bare | Cover::Failed(_) => second = format!("and {}", device.name),
                Cover::LeftToGame => second = "its device too, on purpose".into(),
                Cover::Covering => second = "covering".into(),
                Cover::Covered(Strength::Hidden) => {}
            }
        } else {
            second = "neutral".into();
        }
    }
    let first = if slot.pad == PadCondition::Unwanted {
        "keys only".into()
    } else {
        format!("sees pad {}", crate::detail::game_number(table, number))
    };
    [first, second]
}
