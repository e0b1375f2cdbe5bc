//! Exit codes, which scripts can rely on.

use crate::say::say_error;
use std::process::ExitCode;

/// How the program ends.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Exit {
    /// 0: done.
    Fine,
    /// 1: something went wrong, and was reported.
    Failed,
    /// 2: the request makes no sense, or a file cannot be read.
    Usage,
    /// 3: no pad can be made on this machine as it is.
    NoPads,
    /// 4: another engine is running.
    Another,
    /// 5: no engine is running.
    NoEngine,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(match exit {
            Exit::Fine => 0,
            Exit::Failed => 1,
            Exit::Usage => 2,
            Exit::NoPads => 3,
            Exit::Another => 4,
            Exit::NoEngine => 5,
        })
    }
}

/// Reports why something cannot be done.
pub fn refuse(why: impl AsRef<str>) -> Exit {
    say_error!("placid-mantle: {}", why.as_ref());
    Exit::Usage
}
