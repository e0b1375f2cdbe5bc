//! At most 800 instructions a report on the road, counted, not timed: the same on every machine.

use std::path::Path;
use std::process::Command;

const REPORTS: u64 = 16_384;
const MOST: u64 = 800;

fn count(program: &Path, rounds: u32) -> u64 {
    let done = Command::new("valgrind")
        .args(["--tool=callgrind", "--callgrind-out-file=/dev/null"])
        .arg(program)
        .arg(rounds.to_string())
        .output()
        .expect("valgrind is there (Debian: valgrind)");
    let said = String::from_utf8_lossy(&done.stderr);
    let line =
        said.lines().find(|line| line.contains("Collected : ")).unwrap_or_else(|| panic!("no count in:\n{said}"));
    line.rsplit(' ').next().and_then(|number| number.parse().ok()).expect("a number")
}

#[test]
fn a_report_takes_few_instructions() {
    let cargo = std::env::var_os("CARGO").expect("run by cargo");
    let target = Path::new(env!("CARGO_TARGET_TMPDIR")).join("release");
    let built = Command::new(cargo)
        .args(["build", "--release", "--quiet", "--package", "mantle-lab", "--bin", "road", "--target-dir"])
        .arg(&target)
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .status()
        .expect("cargo runs");
    assert!(built.success());
    let program = target.join("release/road");
    let each = (count(&program, 2) - count(&program, 1)) / REPORTS;
    println!("{each} instructions a report");
    assert!(each > 50, "{each}: the road was not travelled");
    assert!(each <= MOST, "{each} instructions a report, at most {MOST} are allowed");
}
