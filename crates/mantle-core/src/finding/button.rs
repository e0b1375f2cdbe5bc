//! A button: a bit that stands one way whenever it is held, and the other way whenever it is not.

use super::still::is_set;
use super::{Confidence, Field, FieldFound, FieldProposal, Label, Still, Takes};

/// How many spells of each kind are needed to be sure.
const SURE: usize = 3;

/// The level that a bit has in all samples of all spells of a label.
pub(super) fn level(takes: &Takes, label: Label, bit: u32) -> Option<bool> {
    let mut samples = takes.iter().filter(|take| take.label == label).flat_map(|take| &take.samples);
    let first = is_set(samples.next()?, bit as usize);
    samples.all(|state| is_set(state, bit as usize) == first).then_some(first)
}

pub(super) fn find(takes: &Takes, still: &Still, known: &[Field]) -> FieldProposal {
    let presses = takes.iter().filter(|take| take.label == Label::Held).count();
    let follows = |bit: u32| {
        let (rest, held) = (level(takes, Label::Rest, bit)?, level(takes, Label::Held, bit)?);
        let free = !still.is_restless(bit) && !still.excludes(&Field::bit(bit), known);
        (free && rest != held).then_some((bit, held))
    };
    let bits: Vec<(u32, bool)> = (0..still.shape().bytes() as u32 * 8).filter_map(follows).collect();
    let Some((bit, held)) = bits.first().copied() else {
        return FieldProposal::none("no bit stood one way while it was held and the other way while it was not");
    };
    let found = FieldFound::Button(Field::bit(bit), !held);
    let value = u8::from(held);
    match bits.len() {
        1 => {
            let sure = presses >= SURE;
            let more = if sure { "" } else { "; press it again to be sure" };
            FieldProposal::new(
                found,
                sure,
                format!("one bit was {value} in each of {presses} presses and never else; no other bit was{more}"),
            )
        }
        several => FieldProposal {
            confidence: Confidence::Low,
            ..FieldProposal::new(found, false, format!("{several} bits follow it alike; this is the first of them"))
        },
    }
}
