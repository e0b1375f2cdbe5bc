//! What tests ask of the program: to stop at a step of covering, or to fail in a thread. Only a build with the feature
//! `test-hooks` knows of it, which the tests' own build is; in any other one these do nothing and are not there.

/// Stops the program for ever at a step, so that a test can end it there as a crash would.
#[cfg(feature = "test-hooks")]
pub(crate) fn pause_at(step: &str) {
    if std::env::var("PLACID_MANTLE_PAUSE_AT").is_ok_and(|at| at == step) {
        println!("paused at {step}");
        loop {
            std::thread::park();
        }
    }
}

/// Stops the program for ever at a step, so that a test can end it there as a crash would.
#[cfg(not(feature = "test-hooks"))]
pub(crate) fn pause_at(_step: &str) {}

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
