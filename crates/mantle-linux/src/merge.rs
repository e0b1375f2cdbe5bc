//! Frames of one pad that wait because reports are waiting. Each write to a pad costs as much as reading a report. If reports come faster than that,
//! frames that only move axes are merged into the next one, so that the program catches up. Presses, releases and the d-pad are never merged, dropped
//! or reordered: they are written at once, after what has waited.

use mantle_core::pad::Events;
use mantle_core::time::Micros;

const EVENT: usize = 24;
const ABS: u16 = 3;
/// The codes of absolute axes that belong to hats, which are pressed and released.
const HATS: std::ops::Range<u16> = 0x10..0x18;
/// Nothing waits longer than this.
const PATIENCE: Micros = Micros::millis(4);

/// What waits for one pad.
#[derive(Debug, Default)]
pub(crate) struct Pending {
    /// Axes that have moved, and their values.
    axes: Vec<(u16, i32)>,
    since: Micros,
    bytes: Vec<u8>,
}

impl Pending {
    /// A frame is to be written, and `more` says whether reports are known to be waiting. Returns whether it is written now: then [`Pending::bytes`]
    /// are what has waited and this frame.
    pub fn take(&mut self, now: Micros, events: &Events, more: bool) -> bool {
        let moves = |(kind, code, _): (u16, u16, i32)| kind == 0 || (kind == ABS && !HATS.contains(&code));
        if more && events.iter().all(moves) && (self.axes.is_empty() || now.since(self.since) < PATIENCE) {
            if self.axes.is_empty() {
                self.since = now;
            }
            for (_, code, value) in events.iter().filter(|(kind, ..)| *kind == ABS) {
                match self.axes.iter_mut().find(|(own, _)| *own == code) {
                    Some((_, old)) => *old = value,
                    None => self.axes.push((code, value)),
                }
            }
            return false;
        }
        self.bytes.clear();
        self.put_waiting();
        self.bytes.extend_from_slice(events.as_bytes());
        true
    }

    /// Whether nothing waits.
    pub fn is_empty(&self) -> bool {
        self.axes.is_empty()
    }

    /// What has waited, as one frame.
    pub fn flush(&mut self) -> &[u8] {
        self.bytes.clear();
        self.put_waiting();
        &self.bytes
    }

    /// What [`Pending::take`] has put together.
    pub fn bytes(&self) -> &[u8] {
        &self.bytes
    }

    /// The pad is gone.
    pub fn clear(&mut self) {
        self.axes.clear();
    }

    fn put_waiting(&mut self) {
        if self.axes.is_empty() {
            return;
        }
        for (code, value) in self.axes.drain(..) {
            let mut event = [0u8; EVENT];
            event[16..18].copy_from_slice(&ABS.to_ne_bytes());
            event[18..20].copy_from_slice(&code.to_ne_bytes());
            event[20..24].copy_from_slice(&value.to_ne_bytes());
            self.bytes.extend_from_slice(&event);
        }
        // The sync event is all zeros.
        self.bytes.extend_from_slice(&[0; EVENT]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::pad::{PadState, PadTarget};

    fn frame(from: &PadState, to: &PadState) -> Events {
        let mut events = Events::default();
        from.events_to(to, &mut events);
        events
    }

    fn said(bytes: &[u8]) -> Vec<(u16, u16, i32)> {
        let event = |event: &[u8]| {
            let half = |at: usize| u16::from_ne_bytes([event[at], event[at + 1]]);
            (half(16), half(18), i32::from_ne_bytes([event[20], event[21], event[22], event[23]]))
        };
        bytes.chunks_exact(EVENT).map(event).collect()
    }

    fn at(x: i32, y: i32) -> PadState {
        PadState { axes: [x, y, 0, 0, 0, 0], ..PadState::default() }
    }

    #[test]
    fn movements_are_merged_to_the_last_position() {
        let mut pending = Pending::default();
        assert!(!pending.take(Micros(10), &frame(&at(0, 0), &at(1, 5)), true));
        assert!(!pending.take(Micros(20), &frame(&at(1, 5), &at(2, 5)), true));
        assert_eq!(said(pending.flush()), [(3, 0, 2), (3, 1, 5), (0, 0, 0)]);
        assert!(pending.is_empty() && pending.flush().is_empty());
    }

    #[test]
    fn a_press_is_written_at_once_after_pending_movements() {
        let mut pending = Pending::default();
        let pressed = PadState { bits: PadTarget::South.mask() as u32, ..at(3, 0) };
        assert!(!pending.take(Micros(10), &frame(&at(0, 0), &at(1, 0)), true));
        assert!(pending.take(Micros(20), &frame(&at(1, 0), &pressed), true));
        assert_eq!(said(pending.bytes()), [(3, 0, 1), (0, 0, 0), (1, 0x130, 1), (3, 0, 3), (0, 0, 0)]);
        // To the kernel the d-pad is an axis, but it is pressed all the same.
        let up = PadState { bits: pressed.bits | PadTarget::Up.mask() as u32, ..pressed };
        assert!(pending.take(Micros(30), &frame(&pressed, &up), true));
        assert_eq!(said(pending.bytes()), [(3, 0x11, -1), (0, 0, 0)]);
    }

    #[test]
    fn nothing_waits_without_a_backlog_and_never_for_long() {
        let mut pending = Pending::default();
        assert!(pending.take(Micros(0), &frame(&at(0, 0), &at(1, 0)), false));
        assert!(!pending.take(Micros(0), &frame(&at(1, 0), &at(2, 0)), true));
        assert!(pending.take(PATIENCE, &frame(&at(2, 0), &at(3, 0)), true));
        assert_eq!(said(pending.bytes()), [(3, 0, 2), (0, 0, 0), (3, 0, 3), (0, 0, 0)]);
    }
}
