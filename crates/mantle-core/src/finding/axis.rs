//! An axis: a number that differs clearly between its ends, is steady while it is held, and moves smoothly from end to end. The top of the number is
//! found where leaving out one bit makes it jump and adding one says nothing. Its bottom is where bits stop behaving like the lowest bits of a moving
//! number: those are evenly distributed and independent of one another, while the top of a neighbour is neither.

use super::{Field, FieldFound, FieldProposal, Label, Still, Takes};
use crate::control::Packing;

/// Bits that a number may have.
const SIZES: std::ops::RangeInclusive<u8> = 5..=16;
/// Sizes of common converters. A measured size that is off by one bit is rounded to one of these.
const USUAL: [u8; 5] = [8, 10, 12, 14, 16];
/// Between two samples of a travel, a number moves by no more than this share of its range.
const JUMP: f64 = 0.3;
/// A travel has to end where the control was held, within this share of its range: both are its mechanical ends. Whatever a hand moves along by
/// accident ends somewhere else each time.
const ENDS: f64 = 0.18;
/// How many different numbers, of those with five bits, are passed on the way from end to end.
const LEVELS: u32 = 14;
/// The spread of a held number, as a share of its range, above which nothing is proposed.
const UNSTEADY: f64 = 0.12;
/// A control uses most of the range of its number; something moved along with it rarely does.
const LITTLE: f64 = 0.6;
const MUCH: f64 = 0.75;
/// Axes with fewer bits are rare.
const FINE: u8 = 7;
/// Numbers steadier than this count as equally steady: exact repetition while held may mean low bits of another number at its end.
const STEADY: f64 = 0.01;
/// The next best number elsewhere has to be this many times less steady, or the two cannot be told apart.
const CLEARLY: f64 = 2.5;

/// How a number behaved.
#[derive(Clone, Copy, Debug)]
struct Behaviour {
    field: Field,
    /// Spread while held, as a share of the range.
    unsteady: f64,
    low: f64,
    rest: f64,
    high: f64,
}

/// The mean of the number in each spell of a label, and the mean of their variances.
fn spells(takes: &Takes, label: Label, field: &Field) -> Option<(f64, f64, f64, f64)> {
    let (mut sum, mut variances, mut count, mut least, mut most) = (0.0, 0.0, 0.0, f64::MAX, f64::MIN);
    for take in takes.iter().filter(|take| take.label == label && !take.samples.is_empty()) {
        let n = take.samples.len() as f64;
        let (mut total, mut squares) = (0.0, 0.0);
        for state in &take.samples {
            let number = f64::from(field.of(state));
            total += number;
            squares += number * number;
        }
        let mean = total / n;
        sum += mean;
        variances += (squares / n - mean * mean).max(0.0);
        count += 1.0;
        least = least.min(mean);
        most = most.max(mean);
    }
    (count > 0.0).then_some((sum / count, variances / count, least, most))
}

impl Behaviour {
    /// How much of the range of its bits lies between its ends, 0 to 1.
    fn used(&self) -> f64 {
        (self.high - self.low).abs() / f64::from(1u32 << self.field.size)
    }
}

/// How a number behaved, if it behaved like an axis.
fn behaviour(takes: &Takes, stick: bool, field: Field) -> Option<Behaviour> {
    let rest = spells(takes, Label::Rest, &field)?;
    let (low, high) = match stick {
        true => (spells(takes, Label::Low, &field)?, spells(takes, Label::High, &field)?),
        false => (rest, spells(takes, Label::Held, &field)?),
    };
    let span = (high.0 - low.0).abs();
    let within = if stick { (low.1 + rest.1 + high.1) / 3.0 } else { (rest.1 + high.1) / 2.0 };
    // A number is never known better than its smallest step.
    let unsteady = (within + step(takes, &field).powi(2) / 12.0).sqrt() / span;
    if span < 6.0 || unsteady > UNSTEADY {
        return None;
    }
    let unsteady = unsteady.max(STEADY);
    let share = |number: f64| (number - low.0) / (high.0 - low.0);
    // Its ends differ in every spell, and a stick rests between them.
    let apart = [low.2, low.3].map(share).iter().all(|share| share.abs() < 0.2)
        && [high.2, high.3].map(share).iter().all(|share| (share - 1.0).abs() < 0.2);
    let between = !stick || [rest.2, rest.3].map(share).iter().all(|share| (0.15..0.85).contains(share));
    (apart && between && has_levels(takes, &field) && is_smooth(takes, &field, &share)).then_some(Behaviour {
        field,
        unsteady,
        low: low.0,
        rest: rest.0,
        high: high.0,
    })
}

/// The smallest step of a number, since its lowest bits may never change.
fn step(takes: &Takes, field: &Field) -> f64 {
    let mut numbers = takes.iter().flat_map(|take| &take.samples).map(|state| field.of(state));
    let first = numbers.next().unwrap_or(0);
    let changed = numbers.fold(0, |all, number| all | (number ^ first));
    f64::from(1u32 << changed.trailing_zeros().min(16))
}

/// Whether the top five bits of a number take most of their possible values while it moves.
fn has_levels(takes: &Takes, field: &Field) -> bool {
    let mut seen = 0u32;
    for take in takes.iter().filter(|take| take.label == Label::Moving) {
        for state in &take.samples {
            seen |= 1 << (field.of(state) >> (field.size - 5) & 31);
        }
    }
    seen == 0 || seen.count_ones() >= LEVELS
}

/// Whether a number goes through its travel without a jump, from end to end.
fn is_smooth(takes: &Takes, field: &Field, share: &impl Fn(f64) -> f64) -> bool {
    let (mut least, mut most) = (f64::MAX, f64::MIN);
    for take in takes.iter().filter(|take| take.label == Label::Moving) {
        let mut before: Option<f64> = None;
        for state in &take.samples {
            let now = share(f64::from(field.of(state)));
            if before.is_some_and(|before| (now - before).abs() > JUMP) || !(-ENDS..1.0 + ENDS).contains(&now) {
                return false;
            }
            (least, most) = (least.min(now), most.max(now));
            before = Some(now);
        }
    }
    most < least || (least < ENDS && most > 1.0 - ENDS)
}

/// All samples, including spells in which it moved or was held in different places.
fn bit_share(takes: &Takes, bit: impl Fn(&[u8]) -> bool) -> f64 {
    let moving = takes.iter().filter(|take| take.label == Label::Moving).flat_map(|take| &take.samples);
    let (mut set, mut all) = (0u32, 0u32);
    for state in moving {
        set += u32::from(bit(state));
        all += 1;
    }
    f64::from(set) / f64::from(all.max(1))
}

/// The correlation of two bits of a moving number, -1 to 1.
fn correlation(takes: &Takes, a: &Field, b: &Field) -> f64 {
    let moving = takes.iter().filter(|take| take.label == Label::Moving).flat_map(|take| &take.samples);
    let (mut n, mut sa, mut sb, mut both) = (0.0, 0.0, 0.0, 0.0);
    for state in moving {
        let (a, b) = (f64::from(a.of(state)), f64::from(b.of(state)));
        n += 1.0;
        sa += a;
        sb += b;
        both += a * b;
    }
    let (pa, pb) = (sa / n, sb / n);
    let spread = (pa * (1.0 - pa) * pb * (1.0 - pb)).sqrt();
    if spread < 1e-9 { 1.0 } else { (both / n - pa * pb) / spread }
}

/// The single bit `k` below the top of the number whose top bit is that of `field`, if there is one.
fn below_top(field: &Field, k: u8) -> Option<Field> {
    let top = field.at + u32::from(field.size) - 1;
    let at = match field.packing {
        Packing::Little => top.checked_sub(u32::from(k))?,
        Packing::Big => field.at + u32::from(k),
    };
    Some(Field { at, size: 1, packing: field.packing, signed: false })
}

/// A number with the same top and another size.
fn resized(field: &Field, size: u8) -> Option<Field> {
    let at = match field.packing {
        Packing::Little => (field.at + u32::from(field.size)).checked_sub(u32::from(size))?,
        Packing::Big => field.at,
    };
    Some(Field { at, size, ..*field })
}

/// How many bits, from the top down, belong to a number.
fn depth(takes: &Takes, still: &Still, known: &[Field], field: &Field) -> u8 {
    let mut depth = 0;
    let mut lowest: Option<Field> = None;
    for k in 0..*SIZES.end() {
        let Some(bit) = below_top(field, k) else { break };
        let Some(whole) = resized(field, k + 1) else { break };
        if still.excludes(&whole, known) {
            break;
        }
        // The upper bits of a moving number follow its travel; from the fifth on they are evenly distributed.
        if k >= 4 {
            let even = (bit_share(takes, |state| bit.of(state) != 0) - 0.5).abs();
            let with = lowest.map_or(0.0, |lowest| correlation(takes, &lowest, &bit).abs());
            if even > 0.26 {
                break;
            }
            if with > 0.5 {
                // The one above was already the top of a neighbour.
                depth -= 1;
                break;
            }
        }
        lowest = Some(bit);
        depth = k + 1;
    }
    let usual = USUAL.into_iter().find(|usual| usual.abs_diff(depth) <= 1 && resized(field, *usual).is_some());
    usual
        .filter(|usual| resized(field, *usual).is_some_and(|whole| !still.excludes(&whole, known)))
        .unwrap_or(depth)
        .max(*SIZES.start())
}

/// The number's top bit, counted from the lowest bit of each byte.
fn top_of(field: &Field) -> u32 {
    let covers: Vec<u32> = field.covers().collect();
    match field.packing {
        Packing::Little => covers[covers.len() - 1],
        Packing::Big => covers[0],
    }
}

pub(super) fn find(stick: bool, takes: &Takes, still: &Still, known: &[Field]) -> FieldProposal {
    let mut all: Vec<Behaviour> = Vec::new();
    let bits = still.shape().bytes() as u32 * 8;
    for packing in [Packing::Little, Packing::Big] {
        for signed in [false, true] {
            for top in 0..bits {
                all.extend(of_top(stick, takes, still, known, (top, packing, signed)));
            }
        }
    }
    // The steadiest wins; of equally steady ones, the one that uses more of its range, and then the one with more bits.
    let better = |a: &Behaviour, b: &Behaviour| match a.unsteady / b.unsteady {
        ratio if ratio < 0.8 => true,
        ratio if ratio > 1.25 => false,
        _ if (a.used() - b.used()).abs() > 0.15 => a.used() > b.used(),
        _ => (a.field.size, b.unsteady) > (b.field.size, a.unsteady),
    };
    let Some(best) = all.iter().copied().reduce(|best, next| if better(&next, &best) { next } else { best }) else {
        return FieldProposal::none("no number was different at the ends, steady while held and smooth in between");
    };
    let top = top_of(&best.field);
    let little = |one: &Behaviour| one.used() < LITTLE && best.used() > MUCH;
    let rivals = all.iter().filter(|one| top_of(&one.field) != top && !little(one));
    let rival = rivals.map(|one| one.unsteady).fold(f64::MAX, f64::min);
    describe(stick, takes, &best, rival)
}

/// The number with this top bit, if it behaves like an axis: as many bits as belong to it.
fn of_top(
    stick: bool,
    takes: &Takes,
    still: &Still,
    known: &[Field],
    (top, packing, signed): (u32, Packing, bool),
) -> Option<Behaviour> {
    let with = |size: u8| {
        let at = match packing {
            Packing::Little => (top + 1).checked_sub(size.into())?,
            Packing::Big => top,
        };
        Some(Field { at, size, packing, signed }).filter(|field| !still.excludes(field, known))
    };
    let smallest = with(*SIZES.start()).filter(|field| top_moves(takes, field))?;
    // A number too short for fine steps may look unsteady, so a few more bits are tried.
    let any = SIZES.step_by(3).filter_map(with).any(|field| behaviour(takes, stick, field).is_some());
    if !any {
        return None;
    }
    behaviour(takes, stick, with(depth(takes, still, known, &smallest))?)
}

/// Whether the top bit of a number carries information.
fn top_moves(takes: &Takes, field: &Field) -> bool {
    let Some(top) = below_top(field, 0) else { return false };
    let mut numbers = takes.iter().flat_map(|take| &take.samples).map(|state| top.of(state));
    let first = numbers.next();
    numbers.any(|number| Some(number) != first)
}

fn describe(stick: bool, takes: &Takes, chosen: &Behaviour, rival: f64) -> FieldProposal {
    let Behaviour { field, unsteady, low, rest, high } = *chosen;
    let numbers = || takes.iter().flat_map(|take| &take.samples).map(|state| field.of(state));
    let range = (numbers().min().unwrap_or(0), numbers().max().unwrap_or(0));
    let found = FieldFound::Axis { field, range, rest: rest.round() as i32, backwards: low > high };
    let moved = takes.iter().any(|take| take.label == Label::Moving && take.samples.len() >= 16);
    let presses = takes.iter().filter(|take| !matches!(take.label, Label::Rest)).count();
    let clear = rival > unsteady * CLEARLY;
    let what = format!("a number of {} bits goes from {low:.0} to {high:.0}", field.size);
    let steady = format!("held, it is steady within {:.1} % of that", unsteady * 100.0);
    let fine = field.size >= FINE;
    let sure = clear && moved && presses >= 3 && fine;
    let reason = match (moved, clear) {
        (false, _) => format!("{what}; {steady}, but it was not moved through its travel"),
        (_, false) => format!("{what}; {steady}, but something else moves almost the same way: move only this one"),
        _ if !fine => format!("{what}; {steady}, but so few bits may be the top of a longer number"),
        _ if !sure => format!("{what}; {steady}; again, to be sure"),
        _ if stick => format!("{what} and rests at {rest:.0}; {steady}, and nothing else is close"),
        _ => format!("{what} when it is pulled; {steady}, and nothing else is close"),
    };
    FieldProposal::new(found, sure, reason)
}
