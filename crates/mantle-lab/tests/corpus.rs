//! Every file of the corpora, and every fixture of the readers, through the fuzzers' targets: no promise is broken, and
//! the memory that is taken is bounded by what was given, whatever the bytes claim.

use mantle_lab::targets::TARGETS;
use std::alloc::{GlobalAlloc, Layout, System};
use std::cell::Cell;
use std::path::{Path, PathBuf};

/// Counts what the current thread allocates.
struct Counting;

thread_local! {
    /// Bytes held now, the most that were held, and all that were ever asked for.
    static HELD: Cell<(i64, i64, u64)> = const { Cell::new((0, 0, 0)) };
}

fn count(bytes: i64) {
    let _ = HELD.try_with(|held| {
        let (now, most, all) = held.get();
        let now = now + bytes;
        held.set((now, most.max(now), all + bytes.max(0) as u64));
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

/// A fixed part, for tables that are always there, and a part that grows with what was given.
fn allowed(target: &str, len: usize) -> (i64, u64) {
    let (fixed, each) = match target {
        // A few bytes can claim 12,288 usages, of which at most 512 a field are looked at.
        "descriptor" | "decoder" => (512 << 10, 2_500),
        _ => (64 << 10, 200),
    };
    let most = fixed + each * len as u64;
    (most as i64, 2 * most)
}

fn files(directory: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(directory).unwrap_or_else(|error| panic!("{}: {error}", directory.display()));
    let mut paths: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).filter(|path| path.is_file()).collect();
    paths.sort();
    paths
}

#[test]
fn the_corpora_break_no_promise_and_take_no_more_than_they_may() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    for (name, target) in TARGETS {
        let mut paths = files(&root.join("fuzz/corpus").join(name));
        assert!(paths.len() >= 6, "{name}: the corpus is missing");
        match *name {
            "recording" => paths.extend(files(&root.join("crates/mantle-files/tests/recordings"))),
            "sheet" => paths.extend(files(&root.join("crates/mantle-files/tests/sheets/broken"))),
            _ => {}
        }
        for path in paths {
            let whole = std::fs::read(&path).expect("it can be read");
            // Cut short at many places, too: the ends of things are where readers go wrong.
            let step = (whole.len() / 40).max(1);
            for len in (0..whole.len()).step_by(step).chain([whole.len()]) {
                let data = &whole[..len];
                HELD.set((0, 0, 0));
                if std::panic::catch_unwind(|| target(data)).is_err() {
                    panic!("{name}: {} cut to {len} bytes breaks a promise (see above)", path.display());
                }
                let (_, most, all) = HELD.get();
                let (most_allowed, all_allowed) = allowed(name, len);
                assert!(most <= most_allowed, "{name}: {} at {len} bytes holds {most} bytes", path.display());
                assert!(all <= all_allowed, "{name}: {} at {len} bytes asks for {all} bytes", path.display());
            }
        }
    }
}
