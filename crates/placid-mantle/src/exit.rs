//! How the program ends, in numbers that scripts can rely on.

use crate::say::say_error;
use std::process::ExitCode;

/// How the program ends.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Exit {
    /// 0: done.
    Fine,
    /// 1: something went wrong; it was said.
    Failed,
    /// 2: what was asked for makes no sense, or a file cannot be read.
    Usage,
    /// 3: no pad can be made on this machine as it is.
    NoPads,
    /// 4: another engine runs already.
    Another,
    /// 5: no engine runs that could be asked.
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

/// Says why something cannot be done.
pub fn refuse(why: impl AsRef<str>) -> Exit {
    say_error!("placid-mantle: {}", why.as_ref());
    Exit::Usage
}
