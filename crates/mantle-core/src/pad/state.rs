//! What a pad shows, and the events of one frame.

use super::model::{AXIS_CODES, HAT, KEYS, PadModel, code};
use super::sensed::{CONTACTS, Sensed};
use super::target::{BUTTONS, FIRST_LINE, HATS, LINES, PadTarget};
use serde::{Deserialize, Serialize};

/// Largest value of a trigger.
pub const TRIGGER_FULL: i32 = 255;
/// Largest value of any other axis that travels from its rest.
pub const TRAVEL_FULL: i32 = 32_767;

/// The d-pad's directions.
const DPAD: u128 = PadTarget::Up.mask() | PadTarget::Down.mask() | PadTarget::Left.mask() | PadTarget::Right.mask();
/// A trigger that is a button shows as an axis only.
const NEVER_SENT: u128 = PadTarget::LeftTrigger.mask() | PadTarget::RightTrigger.mask();

/// Everything that a pad shows.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct PadState {
    /// The common pad's buttons, and the d-pad's directions, that are down, by [`PadTarget::index`]. The two triggers show as axes only; their bits
    /// are never sent.
    pub bits: u32,
    /// The other kinds' buttons and hats, by the same index.
    #[serde(with = "halves")]
    pub numbered: u128,
    /// Left stick X, Y, right stick X, Y (-32768 to 32767, up and left negative), left and right trigger (0 to 255).
    pub axes: [i32; 6],
    /// The lines: -32768 to 32767 if they rest in their middle, 0 to 32767 if they travel from their rest.
    pub lines: [i32; LINES.len()],
    /// What its sensors show.
    pub sensed: Sensed,
}

/// The bits of what the common pad has, and those of all the rest.
#[must_use]
pub const fn halves_of(mask: u128) -> (u32, u128) {
    (mask as u32, mask & !(u32::MAX as u128))
}

/// Two numbers of 64 bits, the lower one first, since not every format has longer ones.
mod halves {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    pub fn serialize<S: Serializer>(bits: &u128, to: S) -> Result<S::Ok, S::Error> {
        [*bits as u64, (bits >> 64) as u64].serialize(to)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<u128, D::Error> {
        let [low, high] = <[u64; 2]>::deserialize(from)?;
        Ok(u128::from(low) | u128::from(high) << 64)
    }
}

/// The end of a stick's axis on one side.
fn full(sign: f32) -> f32 {
    if sign < 0.0 { 32768.0 } else { 32767.0 }
}

impl PadState {
    /// Whether nothing of the common pad differs. The sticks are compared first, side by side: if anything differs, they usually do.
    #[inline(always)]
    #[must_use]
    pub fn same_as_common(&self, other: &Self) -> bool {
        let turned =
            |axes: std::ops::Range<usize>| axes.fold(0, |all, axis| all | (self.axes[axis] ^ other.axes[axis]));
        turned(0..4) == 0 && turned(4..6) == 0 && self.bits == other.bits
    }

    /// Takes over what the common pad has.
    #[inline(always)]
    pub fn take_common(&mut self, other: &Self) {
        (self.bits, self.axes) = (other.bits, other.axes);
    }

    /// All buttons and directions of hats that are down.
    #[must_use]
    pub fn down(&self) -> u128 {
        u128::from(self.bits) | self.numbered
    }

    /// A hat's X and Y, the d-pad being hat 0; opposite directions cancel.
    #[must_use]
    pub fn hat(&self, hat: u8) -> [i32; 2] {
        let [up, down, left, right] = PadTarget::hat(hat).map(|target| (self.down() >> target.index() & 1) as i32);
        [right - left, down - up]
    }

    /// The value of a lane.
    #[must_use]
    pub fn lane(&self, lane: usize) -> i32 {
        match lane.checked_sub(FIRST_LINE) {
            Some(line) => self.lines.get(line).copied().unwrap_or(0),
            None => self.axes.get(lane).copied().unwrap_or(0),
        }
    }

    fn lane_mut(&mut self, lane: usize) -> &mut i32 {
        match lane.checked_sub(FIRST_LINE) {
            Some(line) => &mut self.lines[line % LINES.len()],
            None => &mut self.axes[lane % 6],
        }
    }

    /// How far a target is from rest, 0 to 1.
    #[must_use]
    pub fn share(&self, target: PadTarget) -> f32 {
        match target.axis() {
            Some((lane, _)) if target.is_pulled() => self.lane(lane) as f32 / pulled(target) as f32,
            Some((lane, sign)) => (self.lane(lane) as f32 * sign / full(sign)).max(0.0),
            None if target.is_whole() => self.sensed.share(target),
            None => (self.down() >> target.index() & 1) as f32,
        }
    }

    /// Everything at rest but one target, which is at this share of full.
    #[must_use]
    pub fn only(target: PadTarget, share: f32) -> Self {
        let mut state = Self::default();
        match target.axis() {
            Some((lane, _)) if target.is_pulled() => {
                *state.lane_mut(lane) = (share * pulled(target) as f32).round() as i32;
            }
            Some((lane, sign)) => *state.lane_mut(lane) = (share * sign * full(sign)).round() as i32,
            None if target == PadTarget::Motion => state.sensed = Sensed::turned(share),
            None if share <= 0.5 => {}
            None => match target {
                PadTarget::Contact(contact) => state.sensed = Sensed::touched(contact.into()),
                _ => (state.bits, state.numbered) = halves_of(target.mask()),
            },
        }
        state
    }

    /// Whether presses or releases, including those of hats, lead from `self` to `next`.
    #[must_use]
    pub fn has_edges_to(&self, next: &Self) -> bool {
        let turned = (self.down() ^ next.down()) & !NEVER_SENT;
        let hats =
            (0..HATS).fold(0, |all, hat| PadTarget::hat(hat).iter().fold(all, |all, target| all | target.mask()));
        turned & !hats != 0 || turned != 0 && (0..HATS).any(|hat| self.hat(hat) != next.hat(hat))
    }

    /// Whether a button is down; if an axis plays it as well, whether that is off its rest.
    fn is_down(&self, target: PadTarget) -> bool {
        match target.axis() {
            Some(_) => self.share(target) > A_LITTLE,
            None => self.down() & target.mask() != 0,
        }
    }

    /// Writes the events that lead from `self` to `next` on a pad of this kind, each node's ended by a sync event; nothing if nothing differs.
    pub fn events_of(&self, next: &Self, model: &PadModel, out: &mut Events) {
        (out.len, out.starts) = (0, NO_MORE);
        self.keys_of(next, &model.keys, out);
        for axis in &model.axes {
            let [old, new] = [self, next].map(|state| axis.shown(state.lane(axis.lane)));
            if old != new {
                out.push(code::EV_ABS, axis.info.code, new);
            }
        }
        for (hat, own) in (0..HATS).zip(&model.hats).filter(|(_, own)| own.appears()) {
            for (code, (old, new)) in own.codes.into_iter().zip(self.hat(hat).into_iter().zip(next.hat(hat))) {
                if old != new {
                    out.push(code::EV_ABS, code, new * own.reach);
                }
            }
        }
        out.end_frame(0);
        for (node, start) in model.more.iter().zip(0..MORE_NODES) {
            let begun = out.len;
            out.starts[start] = begun as u16;
            self.keys_of(next, &node.keys, out);
            for (lane, info) in &node.axes {
                let [old, new] = [self, next].map(|state| info.of_units(state.sensed.lane(*lane)));
                if old != new {
                    out.push(code::EV_ABS, info.code, new);
                }
            }
            if let Some(surface) = &node.surface {
                surface.events(&self.sensed, &next.sensed, |code, value| out.push(code::EV_ABS, code, value));
            }
            out.end_frame(begun);
        }
    }

    fn keys_of(&self, next: &Self, keys: &[(PadTarget, u16)], out: &mut Events) {
        for (target, code) in keys {
            let [old, new] = [self, next].map(|state| state.is_down(*target));
            if old != new {
                out.push(code::EV_KEY, *code, i32::from(new));
            }
        }
    }

    /// The same for the common pad, whose codes are known beforehand: most pads are written without looking at a model.
    #[inline]
    pub fn events_to(&self, next: &Self, out: &mut Events) {
        let (mut len, bytes) = (0, &mut out.bytes);
        let mut push = |kind: u16, code: u16, value: i32| {
            // With a mask, an index is within bounds for the compiler as well.
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
        for ((code, old), new) in AXIS_CODES.iter().zip(&self.axes).zip(&next.axes) {
            if old != new {
                push(code::EV_ABS, *code, *new);
            }
        }
        if turned & DPAD as u32 != 0 {
            for ((code, old), new) in HAT.codes.iter().zip(self.hat(0)).zip(next.hat(0)) {
                if old != new {
                    push(code::EV_ABS, *code, new);
                }
            }
        }
        // Whatever there is ends with a sync event.
        push(code::EV_SYN, 0, 0);
        out.len = if len == EVENT_BYTES { 0 } else { len };
        out.starts = NO_MORE;
    }
}

/// When pulled this far, it presses its button as well, if it has one.
const A_LITTLE: f32 = 0.1;

/// The end of an axis that travels from its rest only.
const fn pulled(target: PadTarget) -> i32 {
    if matches!(target, PadTarget::Line(..)) { TRAVEL_FULL } else { TRIGGER_FULL }
}

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
        bits |= KEYS[k].0.mask() as u32;
        k += 1;
    }
    bits
};

/// The most events in a frame: every button, axis and hat, and the sync event.
pub const EVENTS: usize =
    25 + BUTTONS as usize + 6 + LINES.len() + 2 * HATS as usize + 6 + 4 * CONTACTS + 1 + MORE_NODES;
/// Nodes that a pad may have beside that of its buttons, sticks and hats.
pub const MORE_NODES: usize = 2;
/// There are no such nodes.
const NO_MORE: [u16; MORE_NODES] = [u16::MAX; MORE_NODES];
const EVENT_BYTES: usize = 24;
/// The most bytes, as a mask: there is room for more than there can be.
const MOST: usize = 4095;
const _: () = assert!(EVENTS * EVENT_BYTES <= MOST);

/// The events of one frame, laid out as the kernel's `struct input_event` on 64-bit machines, stamps left at 0.
#[derive(Clone, Debug)]
pub struct Events {
    bytes: [u8; MOST + 1 + EVENT_BYTES],
    /// Bytes of events.
    len: usize,
    /// Where the events of the second and the third node begin; far beyond all events if there are no such nodes.
    starts: [u16; MORE_NODES],
}

impl Default for Events {
    fn default() -> Self {
        Self { bytes: [0; MOST + 1 + EVENT_BYTES], len: 0, starts: NO_MORE }
    }
}

impl Events {
    fn push(&mut self, kind: u16, code: u16, value: i32) {
        let at = self.len & MOST;
        let what = u32::from(kind) | u32::from(code) << 16;
        self.bytes[at + 16..at + 20].copy_from_slice(&what.to_le_bytes());
        self.bytes[at + 20..at + 24].copy_from_slice(&value.to_le_bytes());
        self.len += EVENT_BYTES;
    }

    /// Ends the events of a node that begin there with a sync event, if there are any.
    fn end_frame(&mut self, begun: usize) {
        if self.len > begun {
            self.push(code::EV_SYN, 0, 0);
        }
    }

    /// How many events there are, including sync events.
    #[must_use]
    pub fn len(&self) -> usize {
        self.len / EVENT_BYTES
    }

    /// Whether there is nothing to send.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// The bytes to write to a pad with one node.
    #[inline]
    #[must_use]
    pub fn as_bytes(&self) -> &[u8] {
        &self.bytes[..self.len & MOST]
    }

    /// The bytes to write to one of a pad's nodes, from 0.
    #[must_use]
    pub fn of_node(&self, node: usize) -> &[u8] {
        let start = |node: usize| match node.checked_sub(1) {
            None => 0,
            Some(more) => self.starts.get(more).map_or(self.len, |start| self.len.min((*start).into())),
        };
        self.bytes.get(start(node)..start(node + 1)).unwrap_or_default()
    }

    /// Type, code and value of each event of the first node.
    pub fn iter(&self) -> impl Iterator<Item = (u16, u16, i32)> + '_ {
        self.iter_of(0)
    }

    /// The same for one of its nodes, from 0.
    pub fn iter_of(&self, node: usize) -> impl Iterator<Item = (u16, u16, i32)> + '_ {
        self.of_node(node).chunks_exact(EVENT_BYTES).map(|event| {
            let half = |at: usize| u16::from_le_bytes([event[at], event[at + 1]]);
            (half(16), half(18), i32::from_le_bytes([event[20], event[21], event[22], event[23]]))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pad::{PadAxis, PadTarget};

    fn events(from: PadState, to: PadState) -> Vec<(u16, u16, i32)> {
        let mut out = Events::default();
        from.events_to(&to, &mut out);
        out.iter().collect()
    }

    #[test]
    fn games_count_controls_by_their_codes() {
        let common = PadModel::common();
        let of = |target: PadTarget| common.game_index(target);
        assert_eq!([PadTarget::South, PadTarget::West, PadTarget::Mode].map(of), ["button 0", "button 2", "button 8"]);
        let axes = [PadTarget::LeftStickUp, PadTarget::LeftTrigger, PadTarget::RightStickLeft, PadTarget::RightTrigger];
        assert_eq!(axes.map(of), ["axis 1-", "axis 2+", "axis 3-", "axis 5+"]);
        assert_eq!(of(PadTarget::Left), "hat 0 left");
    }

    #[test]
    fn an_unchanged_state_sends_nothing() {
        assert_eq!(events(PadState::default(), PadState::default()), []);
    }

    #[test]
    fn west_and_north_have_their_historic_codes() {
        let west = PadState { bits: (PadTarget::West.mask()) as u32, ..PadState::default() };
        let north = PadState { bits: (PadTarget::North.mask()) as u32, ..PadState::default() };
        assert_eq!(events(PadState::default(), west), [(1, 0x133, 1), (0, 0, 0)]);
        assert_eq!(events(west, north), [(1, 0x133, 0), (1, 0x134, 1), (0, 0, 0)]);
    }

    #[test]
    fn opposite_directions_cancel_and_a_diagonal_is_two_axes() {
        let both = PadState { bits: (PadTarget::Left.mask() | PadTarget::Right.mask()) as u32, ..PadState::default() };
        assert_eq!(events(PadState::default(), both), []);
        let corner = PadState { bits: (PadTarget::Up.mask() | PadTarget::Right.mask()) as u32, ..PadState::default() };
        assert_eq!(events(PadState::default(), corner), [(3, 0x10, 1), (3, 0x11, -1), (0, 0, 0)]);
    }

    #[test]
    fn the_largest_frame_fits() {
        let all = PadState {
            bits: (!(PadTarget::Left.mask() | PadTarget::Up.mask())) as u32,
            axes: [1; 6],
            ..PadState::default()
        };
        assert_eq!(events(PadState::default(), all).len(), 11 + 8 + 1);
        // A pad that has everything.
        let codes = |from: u16| (0..).map(move |n| from + n);
        let info = |code| crate::pad::AbsInfo { code, min: -32_768, max: 32_767, resolution: 1 };
        let lanes = (0..6).chain(FIRST_LINE..FIRST_LINE + LINES.len());
        let whole = PadModel {
            keys: PadTarget::all()
                .filter(|one| one.axis().is_none() && one.hat_of().is_none())
                .zip(codes(0x100))
                .collect(),
            axes: lanes.zip(codes(0x20)).map(|(lane, code)| PadAxis { lane, info: info(code) }).collect(),
            hats: (0..HATS).map(crate::pad::PadHat::usual).collect(),
            more: PadModel::motion().more,
            ..PadModel::common()
        };
        let low =
            (0..HATS).flat_map(|hat| [0, 2].map(|at| PadTarget::hat(hat)[at])).fold(0, |all, one| all | one.mask());
        let (bits, numbered) = halves_of(!low);
        let full = PadState { bits, numbered, axes: [1; 6], lines: [1; LINES.len()], sensed: Sensed::touched(1) };
        let mut out = Events::default();
        PadState::default().events_of(&full, &whole, &mut out);
        assert!(out.len() <= EVENTS && out.len() > 90, "{} of {EVENTS}", out.len());
    }

    proptest::proptest! {
        /// The common pad is written the same way, whether its codes are known beforehand or looked up.
        #[test]
        fn common_pad_events_match_its_model(
            bits in proptest::array::uniform2(0u32..1 << 17),
            axes in proptest::array::uniform2(proptest::array::uniform6(-3i32..3)),
        ) {
            let [from, to] = [0, 1].map(|at| PadState { bits: bits[at], axes: axes[at], ..PadState::default() });
            let (mut known, mut looked_up) = (Events::default(), Events::default());
            from.events_to(&to, &mut known);
            from.events_of(&to, &PadModel::common(), &mut looked_up);
            proptest::prop_assert_eq!(known.as_bytes(), looked_up.as_bytes());
        }
    }
}
