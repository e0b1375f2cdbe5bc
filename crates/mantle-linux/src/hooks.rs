//! What tests request of the program: to stop at a step of covering, or to fail in a thread. Only a build with the feature `test-hooks` knows about
//! it, such as the tests' own; in any other build these do nothing.

use std::process::Command;

/// Where a guard is to stop, so that a test can end it, or its engine, there.
#[cfg(feature = "test-hooks")]
const PAUSE_AT: &str = "PLACID_MANTLE_PAUSE_AT";

/// Tells a guard where to stop.
#[cfg(feature = "test-hooks")]
pub(crate) fn hand_on(command: &mut Command) {
    if let Some(step) = std::env::var_os(PAUSE_AT) {
        command.env(PAUSE_AT, step);
    }
}

/// Tells a guard where to stop.
#[cfg(not(feature = "test-hooks"))]
pub(crate) fn hand_on(_command: &mut Command) {}

/// A guard has stopped: reports where, and its process.
#[cfg(feature = "test-hooks")]
pub(crate) fn stopped(step: u32, guard: u32) {
    let name = mantle_helper::hider::POINTS.get(step as usize).copied().unwrap_or("nowhere");
    println!("paused at {name} (process {guard})");
}

/// A guard has stopped: reports where, and its process.
#[cfg(not(feature = "test-hooks"))]
pub(crate) fn stopped(_step: u32, _guard: u32) {}

/// Whether a test has asked this part of the program to fail.
#[cfg(feature = "test-hooks")]
#[must_use]
pub fn fails_in(part: &str) -> bool {
    std::env::var("PLACID_MANTLE_FAIL_IN").is_ok_and(|asked| asked == part)
}

/// Whether a test has asked this part of the program to fail.
#[cfg(not(feature = "test-hooks"))]
#[must_use]
pub fn fails_in(_part: &str) -> bool {
    false
}
