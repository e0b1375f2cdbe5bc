//! What can be wrong with the socket, in words that say what to do.

use crate::holder::Holder;
use std::io;
use std::path::PathBuf;

/// Why there is no engine at the other end, or no socket.
#[derive(Debug, thiserror::Error)]
pub enum LinkFault {
    /// The session has no runtime directory.
    #[error(
        "there is no XDG_RUNTIME_DIR: log in as this account (under su and sudo it is missing), or set it to a directory that only this account may use"
    )]
    NoDirectory,
    /// It is not safe to put anything there.
    #[error("{} is not private to this account: {why}; under su or sudo it belongs to somebody else. Log in as this account, or set XDG_RUNTIME_DIR", path.display())]
    Unsafe {
        /// The directory.
        path: PathBuf,
        /// What is wrong.
        why: String,
    },
    /// An engine runs already.
    #[error("an engine is already running ({0}): placid-mantle opens a screen for it")]
    Taken(Holder),
    /// No engine answers.
    #[error("no engine is running for this account: start one with placid-mantle, or placid-mantle serve")]
    Nobody,
    /// It said why not.
    #[error("the engine refused the connection: {0}")]
    Refused(String),
    /// It speaks another version.
    #[error(
        "the running engine speaks version {theirs} of the protocol, this program version {ours}: end it (placid-mantle stop, or kill {pid}) and start it again"
    )]
    OtherVersion {
        /// Its version.
        theirs: u32,
        /// Ours.
        ours: u32,
        /// Its process.
        pid: i32,
    },
    /// The system refused.
    #[error("{what} {}: {error}", path.display())]
    System {
        /// What was tried.
        what: &'static str,
        /// On what.
        path: PathBuf,
        /// The system's words.
        error: io::Error,
    },
}

impl LinkFault {
    /// Whether there is no engine that could be asked.
    #[must_use]
    pub const fn is_nobody(&self) -> bool {
        matches!(self, Self::Nobody | Self::NoDirectory | Self::Unsafe { .. })
    }
}
