//! The engine's thread and the machine's time: real-time priority if the system grants it, without starving others. All unsafe code for this is here.

use mantle_core::priority::Priority;
use mantle_core::time::Micros;
use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
use rustix::thread::gettid;
use rustix::time::{ClockId, clock_gettime};
use std::io;
use std::sync::atomic::{AtomicBool, AtomicI32, Ordering};

/// The lowest real-time priority: sound, and whatever the system itself needs, goes first.
pub const LEVEL: u32 = 1;
/// A thread that runs this long without waiting has its priority taken away, in microseconds; if a daemon grants the priority, the kernel ends the
/// process after that time.
const SOFT: u64 = 100_000;
const HARD: u64 = 200_000;
/// How often the thread's usage is checked.
const LOOK: Micros = Micros::millis(1000);
/// More than this share of a processor, in this many checks in a row, is too much.
const SHARE: f64 = 0.5;
const LOOKS: u8 = 2;
/// How long after giving it up the thread asks again.
const AGAIN: Micros = Micros::millis(60_000);

/// The engine's thread, for the signal's handler; 0 before there is one.
static THREAD: AtomicI32 = AtomicI32::new(0);
/// Whether the handler has taken its priority away.
static TAKEN: AtomicBool = AtomicBool::new(false);

/// What is to be done now.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Bid {
    /// Ask for real-time priority.
    Ask,
    /// Give it up.
    GiveUp,
}

/// Whether the thread has real-time priority, and whether it may keep it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Rank {
    next: Micros,
    has: bool,
    /// When it was last checked, and how much the thread had used by then.
    seen: Option<(Micros, Micros)>,
    hungry: u8,
}

impl Rank {
    /// Checks, if it is time to; `used` is the thread's own time.
    #[inline]
    pub fn look(&mut self, at: Micros, used: impl FnOnce() -> Micros) -> Option<Bid> {
        if at < self.next { None } else { self.turn(at, used()) }
    }

    #[cold]
    fn turn(&mut self, at: Micros, used: Micros) -> Option<Bid> {
        self.next = at.after(LOOK);
        if !self.has {
            // The result is reported through `is_now`.
            self.next = Micros::NEVER;
            return Some(Bid::Ask);
        }
        let (before, had) = self.seen.replace((at, used))?;
        let share = used.since(had).0 as f64 / at.since(before).0.max(1) as f64;
        self.hungry = if share > SHARE { self.hungry + 1 } else { 0 };
        (self.hungry >= LOOKS || TAKEN.swap(false, Ordering::AcqRel)).then_some(Bid::GiveUp)
    }

    /// It has been granted or refused, or was given up.
    pub fn is_now(&mut self, at: Micros, priority: &Priority) {
        self.has = *priority == Priority::RealTime;
        (self.seen, self.hungry) = (None, 0);
        self.next = match priority {
            Priority::RealTime => at.after(LOOK),
            Priority::GivenUp => at.after(AGAIN),
            Priority::Usual | Priority::Refused(_) => Micros::NEVER,
        };
    }
}

/// How much processor time this thread has used.
pub(crate) fn used() -> Micros {
    let time = clock_gettime(ClockId::ThreadCPUTime);
    Micros(time.tv_sec as u64 * 1_000_000 + time.tv_nsec as u64 / 1_000)
}

/// The number of this thread, as the system counts them.
pub(crate) fn this_thread() -> u32 {
    gettid().as_raw_nonzero().get().unsigned_abs()
}

/// Takes real-time priority for this thread, as far as the account's limits allow. What it starts has the usual one.
///
/// # Errors
/// Why not, in words.
pub fn take() -> Result<(), String> {
    watch_over().map_err(|error| format!("its time cannot be limited ({error})"))?;
    schedule(this_thread().cast_signed(), libc::SCHED_RR | libc::SCHED_RESET_ON_FORK, LEVEL.cast_signed())
        .map_err(|error| format!("this account's limits do not allow it ({error})"))
}

/// Gives it up.
pub fn give_up() {
    // That is always allowed.
    let _ = schedule(this_thread().cast_signed(), libc::SCHED_OTHER, 0);
}

/// A thread that never waits has its priority taken away, so that the machine stays usable.
fn watch_over() -> io::Result<()> {
    let before = THREAD.swap(this_thread().cast_signed(), Ordering::AcqRel);
    if before == 0 {
        // SAFETY: what the handler does may be done in one: it sets flags and makes one system call.
        unsafe {
            signal_hook::low_level::register(libc::SIGXCPU, || {
                TAKEN.store(true, Ordering::Release);
                let _ = schedule(THREAD.load(Ordering::Acquire), libc::SCHED_OTHER, 0);
            })?;
        }
    }
    // Beyond the soft limit comes the signal; beyond the hard one the process would die, and all pads with it.
    limit_time(getrlimit(Resource::Rttime).maximum)
}

/// The demand of a daemon that grants the priority to ordinary accounts: the kernel has to end whoever keeps a processor for too long.
pub(crate) fn bow_to_daemon() {
    let hard = getrlimit(Resource::Rttime).maximum.map_or(HARD, |limit| limit.min(HARD));
    // Refused it will say so.
    let _ = limit_time(Some(hard));
}

fn limit_time(hard: Option<u64>) -> io::Result<()> {
    let soft = hard.map_or(SOFT, |hard| hard.min(SOFT));
    Ok(setrlimit(Resource::Rttime, Rlimit { current: Some(soft), maximum: hard })?)
}

fn schedule(thread: i32, policy: i32, level: i32) -> io::Result<()> {
    // SAFETY: all zeros is a value of it.
    let mut parameters: libc::sched_param = unsafe { std::mem::zeroed() };
    parameters.sched_priority = level;
    // SAFETY: the call reads what is pointed at, which outlives it.
    let done = unsafe { libc::sched_setscheduler(thread, policy, &raw const parameters) };
    if done == 0 { Ok(()) } else { Err(io::Error::last_os_error()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SECOND: Micros = Micros::millis(1000);

    /// A thread that uses this much of each second from now on.
    fn runs(rank: &mut Rank, clock: &mut (Micros, Micros), seconds: usize, share: f64) -> Vec<Option<Bid>> {
        let each = Micros((SECOND.0 as f64 * share) as u64);
        let turns = (0..seconds).map(|_| {
            *clock = (clock.0.after(SECOND), clock.1.after(each));
            rank.look(clock.0, || clock.1)
        });
        turns.collect()
    }

    #[test]
    fn priority_is_requested_once_and_dropped_under_heavy_use() {
        let (mut rank, mut clock) = (Rank::default(), (Micros(0), Micros(0)));
        assert_eq!(rank.look(clock.0, || clock.1), Some(Bid::Ask));
        assert_eq!(runs(&mut rank, &mut clock, 100, 0.9), vec![None; 100], "nobody has answered yet");
        rank.is_now(clock.0, &Priority::RealTime);
        assert_eq!(runs(&mut rank, &mut clock, 100, 0.45), vec![None; 100]);
        assert_eq!(runs(&mut rank, &mut clock, 1, 0.9), [None], "one busy second");
        assert_eq!(runs(&mut rank, &mut clock, 1, 0.1), [None]);
        assert_eq!(runs(&mut rank, &mut clock, 2, 0.9), [None, Some(Bid::GiveUp)]);
        rank.is_now(clock.0, &Priority::GivenUp);
        let turns = runs(&mut rank, &mut clock, 60, 0.9);
        assert_eq!(turns.iter().position(Option::is_some), Some(59), "after a minute: {turns:?}");
        rank.is_now(clock.0, &Priority::Refused("no".into()));
        assert_eq!(runs(&mut rank, &mut clock, 1000, 0.9), vec![None; 1000], "refused is refused");
    }

    #[test]
    fn an_early_look_reads_no_clock() {
        let mut rank = Rank::default();
        rank.is_now(Micros(0), &Priority::RealTime);
        assert_eq!(rank.look(Micros::millis(999), || panic!("it is not time")), None);
    }
}
