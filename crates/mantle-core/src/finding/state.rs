//! The state of a device: the latest report of each id, one after the other.

use mantle_hid::{Descriptor, ReportKind};

/// Bytes of a state that are examined.
const MOST: usize = 512;

/// The latest report of each id, one after the other, without ids.
pub type State = Vec<u8>;

/// Which bytes of a state come from which report.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct ButtonShape {
    /// Whether reports begin with an id byte.
    pub numbered: bool,
    /// Each report: its id, its first byte in the state, its bytes without the id.
    reports: Vec<(u8, usize, usize)>,
}

impl ButtonShape {
    /// The shape of a device's state.
    #[must_use]
    pub fn of(descriptor: &Descriptor) -> Self {
        let mut shape = Self { numbered: descriptor.numbered(ReportKind::Input), reports: Vec::new() };
        for report in descriptor.reports_of(ReportKind::Input) {
            let (first, length) = (shape.bytes(), report.bytes());
            if first + length <= MOST {
                shape.reports.push((report.id.0, first, length));
            }
        }
        shape
    }

    /// Bytes of a state.
    #[must_use]
    pub fn bytes(&self) -> usize {
        self.reports.last().map_or(0, |(_, first, length)| first + length)
    }

    /// The reports: id, first byte in the state, bytes.
    pub fn reports(&self) -> impl Iterator<Item = (u8, usize, usize)> {
        self.reports.iter().copied()
    }

    /// The report that a byte of the state comes from, and that report's first byte.
    #[must_use]
    pub fn report_of(&self, byte: u32) -> Option<(u8, u32)> {
        let byte = byte as usize;
        let found = self.reports.iter().find(|(_, first, length)| (*first..first + length).contains(&byte))?;
        Some((found.0, found.1 as u32))
    }

    /// Puts a report, as hidraw delivers it, into a state; returns which report it is.
    pub fn put(&self, report: &[u8], state: &mut State) -> Option<usize> {
        let (id, body) = if self.numbered { (*report.first()?, report.get(1..)?) } else { (0, report) };
        let index = self.reports.iter().position(|(known, ..)| *known == id)?;
        let (_, first, length) = self.reports[index];
        state.resize(self.bytes(), 0);
        let length = length.min(body.len());
        state[first..first + length].copy_from_slice(&body[..length]);
        Some(index)
    }

    /// Whether a run of bytes lies within one report.
    #[must_use]
    pub fn in_one(&self, from: u32, to: u32) -> bool {
        self.report_of(from).is_some() && self.report_of(from) == self.report_of(to)
    }
}
