//! What goes to a device: reports that are sent or asked for, start-up sequences, and encoders.
//!
//! Order of use of a [`StartUp`]: tell it the time ([`StartUp::poll`]) and do what it returns; tell it what came of that
//! ([`StartUp::handle_sent`]) and which reports came ([`StartUp::handle_report`]); wait until [`StartUp::deadline`].

mod driver;
mod encoder;
mod signal;
mod start_up;

pub use driver::DriverAct;
pub use encoder::{Encoder, Lamps, OutField};
pub use signal::Signal;
pub use start_up::{AGAIN_AFTER, ExpectedReply, StartUp, StartUpStep};

use crate::control::Verify;
use crate::time::Micros;
use mantle_hid::{ReportKind, bits};

/// Something to be done with a device, by a worker: a device may take seconds over it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Act {
    /// Send an output or a feature report: its id first, 0 where reports have none, as hidraw wants it.
    Send(ReportKind, Vec<u8>),
    /// Get a feature report.
    Get {
        /// Its id, 0 where reports have none.
        report: u8,
        /// Its bytes, that of the id counted.
        length: u16,
    },
    /// Do something through what the kernel's driver offers.
    Driver(DriverAct),
}

impl Act {
    /// The act in words.
    #[must_use]
    pub fn words(&self) -> String {
        self.said(4)
    }

    /// The same with every byte of it.
    #[must_use]
    pub fn whole(&self) -> String {
        self.said(usize::MAX)
    }

    fn said(&self, most: usize) -> String {
        let hex = |bytes: &[u8]| match bytes.get(..most) {
            Some(first) if bytes.len() > most => format!("{} …", bits::hex(first)),
            _ => bits::hex(bytes),
        };
        match self {
            Self::Send(ReportKind::Feature, bytes) => format!("feature report {}", hex(bytes)),
            Self::Send(_, bytes) => format!("output report {}", hex(bytes)),
            Self::Get { report, .. } => format!("feature report {report:02x} asked for"),
            Self::Driver(act) => act.words(),
        }
    }

    /// Fills in the checksums that a sheet knows for such a report.
    #[must_use]
    pub fn sealed(mut self, checks: &[Verify]) -> Self {
        if let Self::Send(kind, bytes) = &mut self {
            for check in checks.iter().filter(|check| check.kind == *kind) {
                if check.report == 0 || bytes.first() == Some(&check.report) {
                    check.fill(bytes);
                }
            }
        }
        self
    }
}

/// What came of an act.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Sent {
    /// It was sent.
    Done,
    /// This was got.
    Got(Vec<u8>),
    /// Nobody is there who would need it: a recording plays.
    NotNeeded,
}

/// Something that is sent again and again, so that a device goes on.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct KeepAlive {
    /// How often.
    pub every: Micros,
    /// What.
    pub act: Act,
}

/// A report that a device leaves out while its controls rest.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Silence {
    /// Report id, 0 where reports have none.
    pub report: u8,
    /// Its controls rest when it has not come for so long.
    pub after: Micros,
}
