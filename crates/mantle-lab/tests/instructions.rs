//! Instructions, counted and not timed, and therefore the same on every machine: few per report on the road of a busy device, including looks at it
//! and the loop, and few for the readers of foreign bytes, whatever those claim. With `MANTLE_LONG` they are counted in programs that are optimised as
//! those that people use, which have to be built first; without it in those that are there for tests anyway, with limits of their own.

use std::path::{Path, PathBuf};
use std::process::Command;

const REPORTS: u64 = 16_384;
/// The limit for a report: optimised, and as tests are built. There the count varies by a fifth (5029 and 5878 with only words changed in between)
/// with how the compiler cuts a crate into pieces; `shipped` counts in the program that is handed out, every time.
const MOST: [u64; 2] = [656, 8_000];

/// The limit for one of the greediest files: a blink, where a loop within a loop would take a hundred times more.
const MOST_OF_A_FILE: [u64; 2] = [60_000_000, 240_000_000];

/// Which of two limits counts.
fn limit(limits: [u64; 2]) -> u64 {
    limits[usize::from(!is_long())]
}

fn is_long() -> bool {
    std::env::var_os("MANTLE_LONG").is_some()
}

fn count(program: &Path, arguments: &[&str]) -> u64 {
    let done = Command::new("valgrind")
        .args(["--tool=callgrind", "--callgrind-out-file=/dev/null"])
        .arg(program)
        .args(arguments)
        .output()
        .expect("valgrind is there (Debian: valgrind)");
    let said = String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success(), "{arguments:?}: {}\n{said}", done.status);
    let line =
        said.lines().find(|line| line.contains("Collected : ")).unwrap_or_else(|| panic!("no count in:\n{said}"));
    line.rsplit(' ').next().and_then(|number| number.parse().ok()).expect("a number")
}

/// A program of the workshop.
fn built(name: &str) -> PathBuf {
    if !is_long() {
        let own = [env!("CARGO_BIN_EXE_road"), env!("CARGO_BIN_EXE_feed")];
        return own.into_iter().map(PathBuf::from).find(|path| path.ends_with(name)).expect("one of the two");
    }
    let cargo = std::env::var_os("CARGO").expect("run by cargo");
    let target = Path::new(env!("CARGO_TARGET_TMPDIR")).join("release");
    let built = Command::new(cargo)
        .args(["build", "--release", "--quiet", "--package", "mantle-lab", "--bin", name, "--target-dir"])
        .arg(&target)
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .status()
        .expect("cargo runs");
    assert!(built.success());
    target.join("release").join(name)
}

#[test]
fn a_report_takes_few_instructions() {
    let program = built("road");
    let each = (count(&program, &["2"]) - count(&program, &["1"])) / REPORTS;
    println!("{each} instructions a report");
    assert!(each > 50, "{each}: the road was not travelled");
    let most = limit(MOST);
    assert!(each <= most, "{each} instructions a report, at most {most} are allowed");
}

/// A full profile, three layers and 40 bindings, costs less than twice the plain one.
#[test]
fn a_full_profile_costs_less_than_twice_the_plain_one() {
    let program = built("road");
    let each = |kind: &str| (count(&program, &["2", kind]) - count(&program, &["1", kind])) / REPORTS;
    let (plain, full) = (each("plain"), each("full"));
    println!("{full} instructions a report with a full profile, {plain} with the plain one");
    assert!(full > plain, "{full}: the profile was not in use");
    assert!(full < 2 * plain, "{full} instructions a report with a full profile, {plain} with the plain one");
}

/// Bytes that claim as much as the limits allow are read in a bounded number of steps.
#[test]
fn greedy_input_takes_few_instructions() {
    let program = built("feed");
    let corpus = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus");
    let most = limit(MOST_OF_A_FILE);
    for target in ["descriptor", "recording", "sheet"] {
        let start = count(&program, &[target]);
        let mut seen = 0;
        for entry in std::fs::read_dir(corpus.join(target)).expect("the corpus").flatten() {
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with("greedy-") {
                let took = count(&program, &[target, &entry.path().display().to_string()]) - start;
                println!("{target} {name}: {took} instructions");
                assert!(took <= most, "{target} {name}: {took}, at most {most} are allowed");
                seen += 1;
            }
        }
        assert!(seen > 0, "{target}: nothing greedy is in the corpus");
    }
}
