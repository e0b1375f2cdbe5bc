//! A button: a bit that has one value whenever it is held and the other whenever it is not; a number shared by several buttons that is always the
//! same while this one is held; or a number that tells how hard it is pressed.

use super::still::is_set;
use super::{Confidence, Field, FieldFound, FieldProposal, Known, Label, Still, Takes};

/// How many spells of each kind are needed for certainty.
const SURE: usize = 3;
/// A number that tells how hard a button is pressed reaches at least this, of 255.
const PRESSURE: f64 = 48.0;
/// It is steadier than this share of its travel, and this much steadier than anything else.
const STEADY: f64 = 0.25;
const CLEARLY: f64 = 2.0;

/// The bit's level, if it is the same in all samples of all spells of a label.
pub(super) fn level(takes: &Takes, label: Label, bit: u32) -> Option<bool> {
    let mut samples = takes.iter().filter(|take| take.label == label).flat_map(|take| &take.samples);
    let first = is_set(samples.next()?, bit as usize);
    samples.all(|state| is_set(state, bit as usize) == first).then_some(first)
}

/// The field's number, if it is the same in all samples of all spells of a label.
pub(super) fn value(takes: &Takes, label: Label, field: &Field) -> Option<i32> {
    let mut samples = takes.iter().filter(|take| take.label == label).flat_map(|take| &take.samples);
    let first = field.of(samples.next()?);
    samples.all(|state| field.of(state) == first).then_some(first)
}

/// Candidates for the button, best first.
#[derive(Clone, Copy, PartialEq, Debug)]
enum Candidate {
    /// A bit of its own, and its level while held.
    Bit(u32, bool),
    /// A number shared by buttons, and its value while this one is held.
    Value(Field, i32),
    /// Bits that already belong to another button, and nothing else.
    Same,
}

pub(super) fn find(takes: &Takes, still: &Still, known: &Known) -> FieldProposal {
    let presses = takes.iter().filter(|take| take.label == Label::Held).count();
    let follows = |bit: u32| {
        let (rest, held) = (level(takes, Label::Rest, bit)?, level(takes, Label::Held, bit)?);
        let free = !still.is_restless(bit) && !still.excludes(&Field::bit(bit), &known.alone);
        (free && rest != held).then_some((bit, held))
    };
    let bits: Vec<(u32, bool)> = (0..still.shape().bytes() as u32 * 8).filter_map(follows).collect();
    let mut candidates: Vec<Candidate> =
        bits.chunk_by(|a, b| a.0 / 8 == b.0 / 8).filter_map(|byte| of_byte(takes, byte, known)).collect();
    if candidates.iter().any(|one| *one != Candidate::Same) {
        candidates.retain(|one| *one != Candidate::Same);
    }
    // The top bit of a number that tells how hard a button is pressed does not tell whether it is pressed.
    let hard = |one: &Candidate| matches!(one, Candidate::Bit(bit, _) if is_of_a_number(takes, still, *bit));
    if candidates.iter().any(|one| !hard(one)) {
        candidates.retain(|one| !hard(one));
    } else if !candidates.is_empty() {
        let number = pressure(takes, still, known, presses >= SURE);
        if number.found.is_some() {
            return number;
        }
    }
    let sure = presses >= SURE;
    let more = if sure { "" } else { "; press it again to be sure" };
    match candidates.as_slice() {
        [] => pressure(takes, still, known, sure),
        [Candidate::Same, ..] => FieldProposal::none("only another button's bit followed it: is it the same one?"),
        [Candidate::Bit(bit, held)] => {
            let found = FieldFound::Button(Field::bit(*bit), !*held);
            let value = u8::from(*held);
            let reason = format!(
                "one bit was {value} in each of {presses} presses and at no other time; no other bit was{more}"
            );
            FieldProposal::new(found, sure, reason)
        }
        [Candidate::Value(field, value)] => {
            let found = FieldFound::Value(*field, *value);
            let reason = format!(
                "a number of {} bits was {value} in each of {presses} presses and at no other time{more}",
                field.size
            );
            FieldProposal::new(found, sure, reason)
        }
        several => {
            let found = match several[0] {
                Candidate::Value(field, value) => FieldFound::Value(field, value),
                Candidate::Bit(bit, held) => FieldFound::Button(Field::bit(bit), !held),
                Candidate::Same => return FieldProposal::none("only another button's bit followed it"),
            };
            FieldProposal {
                confidence: Confidence::Low,
                ..FieldProposal::new(
                    found,
                    false,
                    format!("{} places follow it equally; this is the first", several.len()),
                )
            }
        }
    }
}

/// The bits of one byte that follow a press, taken together, unless they are a number that only tells how hard it is pressed.
fn of_byte(takes: &Takes, bits: &[(u32, bool)], known: &Known) -> Option<Candidate> {
    let (bit, held) = bits[0];
    let byte = bit / 8 * 8;
    let meets = |fields: &[Field], bit: u32| fields.iter().any(|field| field.meets(&Field::bit(bit)));
    let nibble = |bit: u32| Field { at: bit / 4 * 4, size: 4, ..Field::bit(0) };
    let whole = Field { at: byte, size: 8, ..Field::bit(0) };
    // A number known to be shared by buttons is the same number for this one.
    let shared = known.shared.iter().find(|field| bits.iter().any(|(bit, _)| field.meets(&Field::bit(*bit))));
    let within = |field: &Field| bits.iter().all(|(bit, _)| field.meets(&Field::bit(*bit)));
    let field = match shared {
        Some(field) if within(field) => *field,
        Some(_) => whole,
        None if bits.len() == 1 && meets(&known.bits, bit) => return Some(Candidate::Same),
        None if bits.len() == 1 => return Some(Candidate::Bit(bit, held)),
        // From one end of the byte to the other: how hard it is pressed, over the whole range.
        None if bits.len() == 8 => return Some(Candidate::Bit(byte + 7, is_top(bits))),
        None if within(&nibble(bit)) => nibble(bit),
        None => whole,
    };
    Some(Candidate::Value(field, value(takes, Label::Held, &field)?))
        .filter(|_| value(takes, Label::Rest, &field).is_some())
}

/// Whether the bits beside this one change while it is held, and are still at rest.
fn is_of_a_number(takes: &Takes, still: &Still, bit: u32) -> bool {
    let beside = (bit / 8 * 8..bit / 8 * 8 + 8).filter(|other| *other != bit && !still.is_taken(*other));
    beside.filter(|other| level(takes, Label::Held, *other).is_none() && !still.is_restless(*other)).count() >= 3
}

fn is_top(bits: &[(u32, bool)]) -> bool {
    bits.last().is_some_and(|(_, held)| *held)
}

/// A byte that tells how hard it is pressed.
fn pressure(takes: &Takes, still: &Still, known: &Known, sure: bool) -> FieldProposal {
    let all = known.all();
    let mut found: Vec<(f64, Field, f64, f64)> = Vec::new();
    for byte in 0..still.shape().bytes() as u32 {
        let field = Field { at: byte * 8, size: 8, ..Field::bit(0) };
        if still.excludes(&field, &all) {
            continue;
        }
        let (Some(rest), Some(held)) = (spread(takes, Label::Rest, &field), spread(takes, Label::Held, &field)) else {
            continue;
        };
        let way = (held.0 - rest.0).abs();
        let unsteady = (rest.1 + held.1) / way.max(1.0);
        if way >= PRESSURE && unsteady < STEADY {
            found.push((unsteady, field, rest.0, held.0));
        }
    }
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    let Some((unsteady, field, rest, held)) = found.first().copied() else {
        return FieldProposal::none("no bit had one value while it was held and the other while it was not");
    };
    let clear = found.get(1).is_none_or(|(next, ..)| *next > unsteady * CLEARLY);
    let numbers = || takes.iter().flat_map(|take| &take.samples).map(|state| field.of(state));
    let range = (numbers().min().unwrap_or(0), numbers().max().unwrap_or(0));
    let reason = match clear {
        true => format!(
            "a number goes from {rest:.0} to {held:.0} when it is pressed: how hard it is pressed, not only whether"
        ),
        false => format!("a number goes from {rest:.0} to {held:.0}, but another one does almost the same"),
    };
    let found = FieldFound::Axis { field, range, rest: rest.round() as i32, backwards: held < rest };
    FieldProposal::new(found, sure && clear, reason)
}

/// The mean of a number over the spells of a label, and how far spells and samples deviate from it.
fn spread(takes: &Takes, label: Label, field: &Field) -> Option<(f64, f64)> {
    let samples = || takes.iter().filter(|take| take.label == label).flat_map(|take| &take.samples);
    let count = samples().count();
    let mean = samples().map(|state| f64::from(field.of(state))).sum::<f64>() / count as f64;
    let strays = samples().map(|state| (f64::from(field.of(state)) - mean).powi(2)).sum::<f64>() / count as f64;
    (count > 0).then_some((mean, strays.sqrt()))
}
