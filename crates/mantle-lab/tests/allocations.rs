//! Nothing is allocated on the road.

use mantle_core::time::Micros;
use mantle_lab::road;
use std::alloc::{GlobalAlloc, Layout, System};
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};

struct Counting;

static COUNT: AtomicU64 = AtomicU64::new(0);

// SAFETY: every call is handed on to the system's allocator as it came.
unsafe impl GlobalAlloc for Counting {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        COUNT.fetch_add(1, Relaxed);
        // SAFETY: the caller's promise about the layout is handed on.
        unsafe { System.alloc(layout) }
    }

    unsafe fn dealloc(&self, pointer: *mut u8, layout: Layout) {
        // SAFETY: the pointer came from the same allocator, by `alloc` above.
        unsafe { System.dealloc(pointer, layout) }
    }
}

#[global_allocator]
static ALLOCATOR: Counting = Counting;

#[test]
fn the_road_allocates_nothing() {
    let reports = road::reports(4096, false);
    let mut table = road::table();
    let mut out = [0u8; 512];
    let before = COUNT.load(Relaxed);
    let mut bytes = 0;
    for (n, report) in reports.iter().enumerate() {
        bytes += road::travel(&mut table, Micros(n as u64), report, &mut out);
    }
    let allocated = COUNT.load(Relaxed) - before;
    assert!(bytes > 100_000, "the road was not travelled");
    assert_eq!(allocated, 0);
    let before = COUNT.load(Relaxed);
    drop(std::hint::black_box(vec![1u8]));
    assert!(COUNT.load(Relaxed) > before, "the counter counts");
}
