//! What goes to a device: reports that are sent or requested, start-up sequences, and encoders. Order of use of a [`StartUp`]: give it the time
//! ([`StartUp::poll`]) and do what it returns; tell it the result ([`StartUp::handle_sent`]) and the reports that come ([`StartUp::handle_report`]);
//! wait until [`StartUp::deadline`].

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

/// Something to be done with a device, by a worker, since a device may take seconds over it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Act {
    /// Send an output or a feature report, as hidraw wants it: its id first, 0 if reports have none.
    Send(ReportKind, Vec<u8>),
    /// Get a feature report.
    Get {
        /// Its id, 0 if reports have none.
        report: u8,
        /// Its bytes, including that of the id.
        length: u16,
    },
    /// Do something that the kernel's driver offers.
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

    /// Fills in the checksums that a sheet has for such a report.
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

/// Something that is sent again and again to keep a device going.
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
    /// Report id, 0 if reports have none.
    pub report: u8,
    /// Its controls rest once it has not come for this long.
    pub after: Micros,
}
