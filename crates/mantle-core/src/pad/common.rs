//! The common pad: identity, event codes, state, and the events that lead from one state to the next.
//!
//! Games know this pad by its numbers and go by the *index* of a button, so the set of keys is exactly these eleven
//! and the d-pad is a hat. For this identity the west button has the code 0x133 and the north button 0x134: the
//! driver's historic order, which games' databases expect. Up is negative on the sticks.

use super::target::Target;
use serde::{Deserialize, Serialize};

/// Event types and codes of `linux/input-event-codes.h`, those in use here.
mod code {
    pub const EV_SYN: u16 = 0;
    pub const EV_KEY: u16 = 1;
    pub const EV_ABS: u16 = 3;
}

/// The numbers under which a pad appears.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct PadIdentity {
    /// Bus type: 3 is USB.
    pub bus: u16,
    /// Vendor id.
    pub vendor: u16,
    /// Product id.
    pub product: u16,
    /// Version; to be changed whenever the layout changes.
    pub version: u16,
}

/// The identity with the widest acceptance.
#[must_use]
pub const fn identity() -> PadIdentity {
    PadIdentity { bus: 3, vendor: 0x045e, product: 0x028e, version: 0x0114 }
}

/// Largest value of a trigger.
pub const TRIGGER_FULL: i32 = 255;

/// The keys: the bit of [`PadState::bits`] and the event code.
pub const KEYS: [(Target, u16); 11] = [
    (Target::South, 0x130),
    (Target::East, 0x131),
    (Target::West, 0x133),
    (Target::North, 0x134),
    (Target::LeftShoulder, 0x136),
    (Target::RightShoulder, 0x137),
    (Target::Select, 0x13a),
    (Target::Start, 0x13b),
    (Target::Mode, 0x13c),
    (Target::LeftStickPress, 0x13d),
    (Target::RightStickPress, 0x13e),
];

/// Range of an absolute axis; fuzz and flat are 0, or small movements would be smoothed away.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct AbsInfo {
    /// Event code.
    pub code: u16,
    /// Smallest value.
    pub min: i32,
    /// Largest value.
    pub max: i32,
}

const fn abs(code: u16, min: i32, max: i32) -> AbsInfo {
    AbsInfo { code, min, max }
}

/// The axes in the order of [`PadState::axes`], then the two of the hat.
pub const ABS_INFO: [AbsInfo; 8] = [
    abs(0x00, -32768, 32767),
    abs(0x01, -32768, 32767),
    abs(0x03, -32768, 32767),
    abs(0x04, -32768, 32767),
    abs(0x02, 0, TRIGGER_FULL),
    abs(0x05, 0, TRIGGER_FULL),
    abs(0x10, -1, 1),
    abs(0x11, -1, 1),
];

const CODE_OF_BIT: [u16; 32] = {
    let mut codes = [0; 32];
    let mut k = 0;
    while k < KEYS.len() {
        codes[KEYS[k].0.index()] = KEYS[k].1;
        k += 1;
    }
    codes
};

const KEY_BITS: u32 = {
    let mut bits = 0;
    let mut k = 0;
    while k < KEYS.len() {
        bits |= KEYS[k].0.mask();
        k += 1;
    }
    bits
};

/// The number under which games know a control of this pad, in words, counted from 0 as they do.
#[must_use]
pub fn game_index(target: Target) -> String {
    if let Some(at) = KEYS.iter().position(|(own, _)| *own == target) {
        return format!("button {at}");
    }
    // Of axes the order of their codes counts; the hat's are none.
    match target.axis() {
        Some((axis, sign)) => {
            let code = ABS_INFO[axis].code;
            let rank = ABS_INFO[..6].iter().filter(|info| info.code < code).count();
            format!("axis {rank}{}", if sign < 0.0 { '-' } else { '+' })
        }
        None => target.name().replace("d-pad", "hat 0"),
    }
}

/// Everything that the pad shows.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct PadState {
    /// The first 17 targets that are down. The two triggers show as axes only; their bits are never sent.
    pub bits: u32,
    /// Left stick X, Y, right stick X, Y (-32768 to 32767, up and left negative), left and right trigger (0 to 255).
    pub axes: [i32; 6],
}

/// The end of a stick's axis on one side.
fn full(sign: f32) -> f32 {
    if sign < 0.0 { 32768.0 } else { 32767.0 }
}

impl PadState {
    /// Whether nothing differs. The sticks are asked first, side by side: where anything does, they mostly do.
    #[inline(always)]
    #[must_use]
    pub fn same(&self, other: &Self) -> bool {
        let turned =
            |axes: std::ops::Range<usize>| axes.fold(0, |all, axis| all | (self.axes[axis] ^ other.axes[axis]));
        turned(0..4) == 0 && turned(4..6) == 0 && self.bits == other.bits
    }

    /// The hat's X and Y; opposite directions cancel.
    #[must_use]
    pub fn hat(&self) -> [i32; 2] {
        let bit = |target: Target| (self.bits >> target.index() & 1) as i32;
        [bit(Target::Right) - bit(Target::Left), bit(Target::Down) - bit(Target::Up)]
    }

    /// How far a target is from rest, 0 to 1.
    #[must_use]
    pub fn share(&self, target: Target) -> f32 {
        match target.axis() {
            Some((axis, _)) if axis >= 4 => self.axes[axis] as f32 / TRIGGER_FULL as f32,
            Some((axis, sign)) => (self.axes[axis] as f32 * sign / full(sign)).max(0.0),
            None => (self.bits >> target.index() & 1) as f32,
        }
    }

    /// Everything at rest but one target, which is at this share of full.
    #[must_use]
    pub fn only(target: Target, share: f32) -> Self {
        let mut state = Self::default();
        match target.axis() {
            Some((axis, _)) if axis >= 4 => state.axes[axis] = (share * TRIGGER_FULL as f32).round() as i32,
            Some((axis, sign)) => state.axes[axis] = (share * sign * full(sign)).round() as i32,
            None if share > 0.5 => state.bits = target.mask(),
            None => {}
        }
        state
    }

    /// Whether presses or releases, the d-pad's among them, lead from `self` to `next`.
    #[must_use]
    pub fn has_edges_to(&self, next: &Self) -> bool {
        (self.bits ^ next.bits) & KEY_BITS != 0 || self.hat() != next.hat()
    }

    /// Writes the events that lead from `self` to `next`, ended by a sync event; nothing if nothing differs.
    #[inline]
    pub fn events_to(&self, next: &Self, out: &mut Events) {
        let (mut len, bytes) = (0, &mut out.bytes);
        let mut push = |kind: u16, code: u16, value: i32| {
            // Cut off by a mask, a place is within the room however the compiler looks at it.
            let at = len & MOST;
            let what = u32::from(kind) | u32::from(code) << 16;
            bytes[at + 16..at + 20].copy_from_slice(&what.to_le_bytes());
            bytes[at + 20..at + 24].copy_from_slice(&value.to_le_bytes());
            len += EVENT_BYTES;
        };
        let turned = self.bits ^ next.bits;
        let mut changed = turned & KEY_BITS;
        while changed != 0 {
            let bit = changed.trailing_zeros();
            changed &= changed - 1;
            push(code::EV_KEY, CODE_OF_BIT[bit as usize & 31], (next.bits >> bit & 1) as i32);
        }
        for ((info, old), new) in ABS_INFO.iter().zip(&self.axes).zip(&next.axes) {
            if old != new {
                push(code::EV_ABS, info.code, *new);
            }
        }
        const HAT_BITS: u32 = Target::Up.mask() | Target::Down.mask() | Target::Left.mask() | Target::Right.mask();
        if turned & HAT_BITS != 0 {
            for ((info, old), new) in ABS_INFO[6..].iter().zip(self.hat()).zip(next.hat()) {
                if old != new {
                    push(code::EV_ABS, info.code, new);
                }
            }
        }
        // Whatever there is ends with a sync event.
        push(code::EV_SYN, 0, 0);
        out.len = if len == EVENT_BYTES { 0 } else { len };
    }
}

/// So many events one frame has at most: 11 keys, 8 axes, the sync.
pub const EVENTS: usize = 20;
const EVENT_BYTES: usize = 24;
/// At most so many bytes, as a mask: there is room for more than there can be.
const MOST: usize = 511;
const _: () = assert!(EVENTS * EVENT_BYTES <= MOST);

/// The events of one frame, laid out as the kernel's `struct input_event` on 64-bit machines, stamps left at 0.
#[derive(Clone, Debug)]
pub struct Events {
    bytes: [u8; MOST + 1 + EVENT_BYTES],
    /// Bytes of events.
    len: usize,
}

impl Default for Events {
    fn default() -> Self {
        Self { bytes: [0; MOST + 1 + EVENT_BYTES], len: 0 }
    }
}

impl Events {
    /// How many events there are, the sync event included.
    #[must_use]
    pub fn len(&self) -> usize {
        self.len / EVENT_BYTES
    }

    /// Whether there is nothing to send.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// The bytes to write.
    #[inline]
    #[must_use]
    pub fn as_bytes(&self) -> &[u8] {
        &self.bytes[..self.len & MOST]
    }

    /// Type, code and value of each event.
    pub fn iter(&self) -> impl Iterator<Item = (u16, u16, i32)> + '_ {
        self.as_bytes().chunks_exact(EVENT_BYTES).map(|event| {
            let half = |at: usize| u16::from_le_bytes([event[at], event[at + 1]]);
            (half(16), half(18), i32::from_le_bytes([event[20], event[21], event[22], event[23]]))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn events(from: PadState, to: PadState) -> Vec<(u16, u16, i32)> {
        let mut out = Events::default();
        from.events_to(&to, &mut out);
        out.iter().collect()
    }

    #[test]
    fn games_count_controls_by_their_codes() {
        let of = |target: Target| game_index(target);
        assert_eq!([Target::South, Target::West, Target::Mode].map(of), ["button 0", "button 2", "button 8"]);
        let axes = [Target::LeftStickUp, Target::LeftTrigger, Target::RightStickLeft, Target::RightTrigger];
        assert_eq!(axes.map(of), ["axis 1-", "axis 2+", "axis 3-", "axis 5+"]);
        assert_eq!(of(Target::Left), "hat 0 left");
    }

    #[test]
    fn nothing_changed_is_nothing_sent() {
        assert_eq!(events(PadState::default(), PadState::default()), []);
    }

    #[test]
    fn west_and_north_have_their_historic_codes() {
        let west = PadState { bits: Target::West.mask(), ..PadState::default() };
        let north = PadState { bits: Target::North.mask(), ..PadState::default() };
        assert_eq!(events(PadState::default(), west), [(1, 0x133, 1), (0, 0, 0)]);
        assert_eq!(events(west, north), [(1, 0x133, 0), (1, 0x134, 1), (0, 0, 0)]);
    }

    #[test]
    fn opposite_directions_cancel_and_a_diagonal_is_two_axes() {
        let both = PadState { bits: Target::Left.mask() | Target::Right.mask(), ..PadState::default() };
        assert_eq!(events(PadState::default(), both), []);
        let corner = PadState { bits: Target::Up.mask() | Target::Right.mask(), ..PadState::default() };
        assert_eq!(events(PadState::default(), corner), [(3, 0x10, 1), (3, 0x11, -1), (0, 0, 0)]);
    }

    #[test]
    fn the_largest_frame_fits() {
        let all = PadState { bits: !(Target::Left.mask() | Target::Up.mask()), axes: [1; 6] };
        assert_eq!(events(PadState::default(), all).len(), EVENTS);
    }
}
