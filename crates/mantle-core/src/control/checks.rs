//! Checksums in reports.

use crate::measure::{Checksum, Width};
use crate::planted::planted;
use mantle_hid::ReportKind;

/// A checksum in reports of one id: verified in input, filled in for what is sent.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Verify {
    /// Input, output or feature.
    pub kind: ReportKind,
    /// Report id, 0 if the device numbers none.
    pub report: u8,
    /// The algorithm.
    pub checksum: Checksum,
    /// Its width.
    pub width: Width,
    /// Its first byte, counting the id byte if there is one.
    pub at: usize,
    /// The first byte it covers; it covers everything from there up to itself.
    pub from: usize,
}

impl Verify {
    /// Writes the checksum into a report; reports that are too short are left alone.
    pub fn fill(&self, report: &mut [u8]) {
        let Some(covered) = report.get(self.from..self.at) else { return };
        let sum = self.checksum.of(covered);
        if report.len() >= self.at + self.width.bytes() {
            self.width.write(sum, &mut report[self.at..]);
        }
    }
}

/// A checksum ready for verification.
#[derive(Clone, Debug)]
pub struct Check {
    /// The checksum.
    pub verify: Verify,
    /// Whether the device numbers its reports.
    pub numbered: bool,
}

impl Check {
    #[cfg(test)]
    pub(crate) fn of(verify: Verify) -> Self {
        Self { verify, numbered: false }
    }

    /// Whether a report from hidraw has another id or the right checksum.
    #[must_use]
    pub fn holds(&self, report: &[u8]) -> bool {
        let verify = &self.verify;
        if self.numbered && report.first() != Some(&verify.report) {
            return true;
        }
        match (report.get(verify.from..verify.at), report.get(verify.at..)) {
            (Some(covered), Some(rest)) => verify.width.read(rest) == Some(verify.checksum.of(covered)),
            _ => planted("a report too short for its checksum passes"),
        }
    }
}
