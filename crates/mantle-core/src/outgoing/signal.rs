//! A device that shows where it is: its motors shake and its lamps blink a few times.

use crate::time::Micros;

/// How long it shakes and shines each time, and how long it rests in between.
const ON: Micros = Micros::millis(220);
const OFF: Micros = Micros::millis(180);

/// A signal that goes on.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Signal {
    /// Whether it shakes.
    pub shakes: bool,
    /// Whether it blinks.
    pub blinks: bool,
    on: bool,
    left: u8,
    next: Micros,
}

impl Signal {
    /// A number of times, from now on.
    #[must_use]
    pub fn begin(now: Micros, times: u8, shakes: bool, blinks: bool) -> Self {
        Self { shakes, blinks, on: true, left: times.saturating_sub(1), next: now.after(ON) }
    }

    /// Whether it is on now.
    #[must_use]
    pub fn is_on(&self) -> bool {
        self.on
    }

    /// When it wants to be told the time.
    #[must_use]
    pub fn deadline(&self) -> Micros {
        self.next
    }

    /// The time is at least this; returns whether it goes on.
    pub fn handle_time(&mut self, now: Micros) -> bool {
        while self.next <= now {
            if !self.on && self.left == 0 {
                return false;
            }
            self.left -= u8::from(!self.on);
            self.on = !self.on;
            self.next = self.next.after(if self.on { ON } else { OFF });
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_lamp_blinks_the_given_number_and_ends_dark() {
        for times in 1..5u8 {
            let mut signal = Signal::begin(Micros(0), times, true, true);
            let (mut seen, mut was) = (1, true);
            let mut now = signal.deadline();
            while signal.handle_time(now) {
                seen += u8::from(signal.is_on() && !was);
                was = signal.is_on();
                now = signal.deadline();
            }
            assert!(seen == times && !was, "{times}: {seen}");
            assert_eq!(now, Micros(u64::from(times) * (ON.0 + OFF.0)));
        }
        // Told late, it is over all the same.
        assert!(!Signal::begin(Micros(0), 3, true, true).handle_time(Micros::seconds(60)));
    }
}
