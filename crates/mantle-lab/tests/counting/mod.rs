//! An allocator that counts what the current thread allocates.

use std::alloc::{GlobalAlloc, Layout, System};
use std::cell::Cell;

/// What was counted.
#[derive(Clone, Copy, Default)]
#[allow(dead_code, reason = "each test looks at its own part")]
pub struct Counted {
    /// How often something was allocated.
    pub times: u64,
    /// Bytes that are held now.
    pub now: i64,
    /// The most bytes that were held at once.
    pub most: i64,
    /// All bytes that were ever asked for.
    pub all: u64,
}

struct Counting;

thread_local! {
    static COUNTED: Cell<Counted> = const { Cell::new(Counted { times: 0, now: 0, most: 0, all: 0 }) };
}

/// Starts again from nothing.
#[allow(dead_code, reason = "each test looks at its own part")]
pub fn restart() {
    COUNTED.set(Counted::default());
}

/// What this thread has allocated so far.
pub fn counted() -> Counted {
    COUNTED.get()
}

fn count(bytes: i64) {
    let _ = COUNTED.try_with(|counted| {
        let Counted { times, now, most, all } = counted.get();
        let now = now + bytes;
        let (times, all) = (times + u64::from(bytes >= 0), all + bytes.max(0) as u64);
        counted.set(Counted { times, now, most: most.max(now), all });
    });
}

// SAFETY: every call is handed on to the system's allocator as it came.
unsafe impl GlobalAlloc for Counting {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        count(layout.size() as i64);
        // SAFETY: the caller's promise about the layout is handed on.
        unsafe { System.alloc(layout) }
    }

    unsafe fn dealloc(&self, pointer: *mut u8, layout: Layout) {
        count(-(layout.size() as i64));
        // SAFETY: the pointer came from the same allocator, by `alloc` above.
        unsafe { System.dealloc(pointer, layout) }
    }
}

#[global_allocator]
static ALLOCATOR: Counting = Counting;
