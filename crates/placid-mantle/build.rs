//! Says which commit the program was made from, where that can be told.

use std::path::Path;
use std::process::Command;

fn git(arguments: &[&str]) -> Option<String> {
    let done = Command::new("git").args(arguments).output().ok().filter(|done| done.status.success())?;
    Some(String::from_utf8(done.stdout).ok()?.trim().to_owned())
}

fn main() {
    let commit = git(&["rev-parse", "--short=10", "HEAD"]);
    // The commit is another one as soon as the branch is.
    for name in ["HEAD", "logs/HEAD"] {
        // One that is not there would have it made anew each time.
        if let Some(path) = git(&["rev-parse", "--git-path", name]).filter(|path| Path::new(path).exists()) {
            println!("cargo::rerun-if-changed={path}");
        }
    }
    println!("cargo::rerun-if-changed=build.rs");
    println!("cargo::rustc-env=PLACID_MANTLE_COMMIT={}", commit.as_deref().unwrap_or("unknown"));
}
