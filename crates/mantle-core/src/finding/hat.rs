//! A d-pad: a hat that counts clockwise from up, or four buttons.

use super::button::{level, value};
use super::{Field, FieldFound, FieldProposal, Label, Still, Takes};
use crate::control::Packing;

const TOWARD: [Label; 4] = [Label::Toward(0), Label::Toward(1), Label::Toward(2), Label::Toward(3)];

/// The numbers that a field passes through while the d-pad is rolled around, in order.
fn around(takes: &Takes, field: &Field) -> Vec<i32> {
    let moving = takes.iter().filter(|take| take.label == Label::Moving).flat_map(|take| &take.samples);
    let mut numbers: Vec<i32> = moving.map(|state| field.of(state)).collect();
    numbers.dedup();
    numbers
}

pub(super) fn find(takes: &Takes, still: &Still, known: &[Field]) -> FieldProposal {
    four(takes, still, known)
        .or_else(|| hat(takes, still, known))
        .unwrap_or_else(|| FieldProposal::none("nothing had one number per direction and another at rest"))
}

/// Four bits, one for each direction.
fn four(takes: &Takes, still: &Still, known: &[Field]) -> Option<FieldProposal> {
    let mut bits: [Option<(u32, bool)>; 4] = [None; 4];
    for bit in 0..still.shape().bytes() as u32 * 8 {
        if still.is_restless(bit) || still.excludes(&Field::bit(bit), known) {
            continue;
        }
        let Some(rest) = level(takes, Label::Rest, bit) else { continue };
        let levels = TOWARD.map(|label| level(takes, label, bit));
        for (direction, slot) in bits.iter_mut().enumerate() {
            let own = |other: usize, level: &Option<bool>| *level == Some(rest != (other == direction));
            if levels.iter().enumerate().all(|(other, level)| own(other, level)) {
                if slot.is_some() {
                    return None;
                }
                *slot = Some((bit, !rest));
            }
        }
    }
    let [Some(up), Some(right), Some(down), Some(left)] = bits else { return None };
    let all = [up, right, down, left];
    // If a hat had one bit for each direction, nothing else would be down while it is rolled around.
    let held = up.1;
    let sure = all.iter().all(|(_, level)| *level == held);
    let fields = all.map(|(bit, _)| Field::bit(bit));
    let reason = "four bits, each set in one direction only".to_owned();
    sure.then(|| FieldProposal::new(FieldFound::Four(fields, !held), true, reason))
}

/// A number that counts clockwise.
fn hat(takes: &Takes, still: &Still, known: &[Field]) -> Option<FieldProposal> {
    let mut best: Option<(Field, i32, u8, usize)> = None;
    for size in 3..=8u8 {
        for at in 0..(still.shape().bytes() as u32 * 8).saturating_sub(u32::from(size)) + 1 {
            let field = Field { at, size, packing: Packing::Little, signed: false };
            if at / 8 != (at + u32::from(size) - 1) / 8
                || still.excludes(&field, known)
                || field.covers().any(|bit| still.is_restless(bit))
            {
                continue;
            }
            let Some(rest) = value(takes, Label::Rest, &field) else { continue };
            let [Some(up), Some(right), Some(down), Some(left)] = TOWARD.map(|label| value(takes, label, &field))
            else {
                continue;
            };
            let steps = match (right - up, down - up, left - up) {
                (2, 4, 6) => 8,
                (1, 2, 3) => 4,
                _ => continue,
            };
            let inside = up..up + i32::from(steps);
            let around = around(takes, &field);
            if inside.contains(&rest) || around.iter().any(|number| *number != rest && !inside.contains(number)) {
                continue;
            }
            // A hat moves from one direction to a neighbour, or to its centre.
            let neighbours = around.windows(2).all(|pair| {
                let apart = (pair[1] - pair[0]).rem_euclid(steps.into());
                pair.contains(&rest) || apart <= 2 || apart >= i32::from(steps) - 2
            });
            // Of two that count alike, the one seen to count further says more: leaving out a bit makes a direction look like the centre, or four
            // steps of eight.
            let mut seen: Vec<i32> = around.into_iter().filter(|number| *number != rest).collect();
            seen.sort_unstable();
            seen.dedup();
            if neighbours && best.is_none_or(|(.., most)| seen.len() > most) {
                best = Some((field, up, steps, seen.len()));
            }
        }
    }
    let (field, up, steps, seen) = best?;
    let all = seen == usize::from(steps);
    let reason = match (all, steps) {
        (true, 8) => format!("a number counts clockwise from {up} for up in eight steps, with another number at rest"),
        (true, _) => format!("a number counts clockwise from {up} for up in four steps, with another number at rest"),
        _ => format!(
            "a number counts clockwise from {up} for up, but only {seen} of {steps} steps were seen: move it around"
        ),
    };
    let found = FieldFound::Hat { field, up, steps };
    Some(FieldProposal::new(found, all, reason))
}
