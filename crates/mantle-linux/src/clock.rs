//! The clock of every stamp, and how sleeps of the machine are noticed.

use mantle_core::time::Micros;
use rustix::time::{ClockId, clock_gettime};

/// Shorter sleeps change nothing.
const NOTICED: Micros = Micros::millis(500);

fn read(clock: ClockId) -> Micros {
    let time = clock_gettime(clock);
    Micros(time.tv_sec as u64 * 1_000_000 + time.tv_nsec as u64 / 1_000)
}

/// The monotonic clock.
#[must_use]
pub fn now() -> Micros {
    read(ClockId::Monotonic)
}

/// Two clocks, one of which stops while the machine sleeps.
pub(crate) trait Clocks {
    /// How long the machine has been awake.
    fn awake(&self) -> Micros;
    /// The time since it was started.
    fn started(&self) -> Micros;
}

/// Those of the kernel.
pub(crate) struct SystemClocks;

impl Clocks for SystemClocks {
    fn awake(&self) -> Micros {
        now()
    }

    fn started(&self) -> Micros {
        read(ClockId::Boottime)
    }
}

/// Notices that the machine has slept.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct SleepWatch {
    /// How long it had slept in all at the last look.
    slept: Option<Micros>,
}

impl SleepWatch {
    /// Whether it has slept since the last look.
    pub fn look(&mut self, clocks: &impl Clocks) -> bool {
        let slept = clocks.started().since(clocks.awake());
        let before = self.slept.replace(slept);
        before.is_some_and(|before| slept.since(before) >= NOTICED)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Given(Micros, Micros);

    impl Clocks for Given {
        fn awake(&self) -> Micros {
            self.0
        }

        fn started(&self) -> Micros {
            self.1
        }
    }

    #[test]
    fn a_suspend_is_noticed_once_and_waiting_is_not_one() {
        let mut watch = SleepWatch::default();
        let mut look = |awake, started| watch.look(&Given(Micros::millis(awake), Micros::millis(started)));
        assert!(!look(1000, 9000), "what it slept before it was looked first is no news");
        assert!(!look(500_000, 508_001), "two clocks are not read at one moment");
        assert!(look(500_010, 516_010));
        assert!(!look(500_020, 516_020));
        assert!(look(600_000, 4_000_000));
    }
}
