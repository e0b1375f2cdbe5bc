//! Every file of the corpora, and every fixture of the readers, through the fuzzers' targets: no promise is broken, and the memory used is bounded by
//! the input, whatever the bytes claim.

mod counting;

use counting::Counted;
use mantle_lab::targets::TARGETS;
use std::path::{Path, PathBuf};

/// A fixed part, for tables that always exist, and a part that grows with the input.
fn allowed(target: &str, len: usize) -> (i64, u64) {
    let (fixed, each) = match target {
        // A few bytes can claim 12,288 usages, of which at most 512 per field are examined.
        "descriptor" | "decoder" | "helper" => (512 << 10, 2_500),
        // A machine of up to 64 nodes, each with its names.
        "sight" => (1 << 20, 400),
        // Read, changed, and read again before it is written.
        "games" => (64 << 10, 500),
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
fn every_corpus_entry_keeps_the_invariants_and_limits() {
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
            // Also cut short at many places, since the ends of things are where readers go wrong.
            let step = (whole.len() / 40).max(1);
            for len in (0..whole.len()).step_by(step).chain([whole.len()]) {
                let data = &whole[..len];
                counting::restart();
                if std::panic::catch_unwind(|| target(data)).is_err() {
                    panic!("{name}: {} cut to {len} bytes breaks a promise (see above)", path.display());
                }
                let Counted { most, all, .. } = counting::counted();
                let (most_allowed, all_allowed) = allowed(name, len);
                assert!(most <= most_allowed, "{name}: {} at {len} bytes holds {most} bytes", path.display());
                assert!(all <= all_allowed, "{name}: {} at {len} bytes asks for {all} bytes", path.display());
            }
        }
    }
}
