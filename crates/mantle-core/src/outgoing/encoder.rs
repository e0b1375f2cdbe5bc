//! Reports that say how strong, how bright, or which player.

use super::Act;
use crate::control::{Packing, Verify};
use mantle_hid::{ReportKind, bits};

/// A number in a report that is sent.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct OutField {
    /// First bit behind the id byte.
    pub at: u32,
    /// Bits, 1 to 32.
    pub size: u8,
    /// How they stand.
    pub packing: Packing,
    /// The number for nothing, and for full.
    pub range: (u32, u32),
}

impl OutField {
    /// Writes a number; whatever is outside the report is left out.
    pub fn put(&self, bytes: &mut [u8], value: u32) {
        let Some(body) = bytes.get_mut(1..) else { return };
        let size = u32::from(self.size);
        if u64::from(self.at) + u64::from(size) > body.len() as u64 * 8 {
            return;
        }
        match self.packing {
            Packing::Little => bits::insert(body, self.at, size, value),
            Packing::Big => bits::insert_turned(body, self.at, size, value),
        }
    }
}

/// A report into which some numbers are put.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Encoder {
    /// Output or feature.
    pub kind: ReportKind,
    /// The report with all numbers at nothing; the id first, 0 if reports have none.
    pub bytes: Vec<u8>,
    /// The places of the numbers: for rumble the strong and the weak motor, for light red, green and blue.
    pub fields: Vec<OutField>,
}

impl Encoder {
    /// The report with shares from 0 to 1 in its fields, and checksums.
    #[must_use]
    pub fn encode(&self, shares: &[f32], checks: &[Verify]) -> Act {
        let values = self.fields.iter().zip(shares).map(|(field, share)| {
            let (low, high) = (f64::from(field.range.0), f64::from(field.range.1));
            (low + (high - low) * f64::from(share.clamp(0.0, 1.0))).round() as u32
        });
        self.raw(values, checks)
    }

    /// The report with raw numbers in its fields, and checksums.
    #[must_use]
    pub fn raw(&self, values: impl IntoIterator<Item = u32>, checks: &[Verify]) -> Act {
        let mut bytes = self.bytes.clone();
        for (field, value) in self.fields.iter().zip(values) {
            field.put(&mut bytes, value);
        }
        Act::Send(self.kind, bytes).sealed(checks)
    }
}

/// Lamps that show a player's number.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Lamps {
    /// The report, with one field.
    pub encoder: Encoder,
    /// The field's number for players 1 to 8; those without one are shown as nobody.
    pub values: Vec<u32>,
}

impl Lamps {
    /// The report for a slot, from 1; 0 for none.
    #[must_use]
    pub fn encode(&self, slot: u8, checks: &[Verify]) -> Act {
        let value = usize::from(slot).checked_sub(1).and_then(|index| self.values.get(index));
        self.encoder.raw([value.copied().unwrap_or(0)], checks)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::{Checksum, Width};

    fn field(at: u32, size: u8, packing: Packing) -> OutField {
        OutField { at, size, packing, range: (0, (1 << size) - 1) }
    }

    #[test]
    fn values_are_encoded_and_checksums_filled_in() {
        let encoder = Encoder {
            kind: ReportKind::Output,
            bytes: vec![2, 0, 0, 0, 0],
            fields: vec![field(0, 8, Packing::Little), field(8, 12, Packing::Big)],
        };
        let check = Verify {
            kind: ReportKind::Output,
            report: 2,
            checksum: Checksum::Xor { with: 0 },
            width: Width::One,
            at: 4,
            from: 0,
        };
        let Act::Send(_, bytes) = encoder.encode(&[1.0, 0.5], &[check]) else { panic!("it is sent") };
        assert_eq!(bytes, [2, 0xff, 0x80, 0x00, 2 ^ 0xff ^ 0x80]);
        let Act::Send(_, bytes) = encoder.encode(&[0.0, 0.0], &[Verify { report: 3, ..check }]) else { panic!() };
        assert_eq!(bytes, [2, 0, 0, 0, 0], "another report's checksum is no concern of it");
    }

    #[test]
    fn a_field_outside_the_report_is_skipped() {
        let encoder =
            Encoder { kind: ReportKind::Output, bytes: vec![0, 7], fields: vec![field(4, 8, Packing::Little)] };
        assert_eq!(encoder.encode(&[1.0], &[]), Act::Send(ReportKind::Output, vec![0, 7]));
    }

    #[test]
    fn lamps_show_the_player() {
        let encoder =
            Encoder { kind: ReportKind::Feature, bytes: vec![1, 0], fields: vec![field(0, 4, Packing::Little)] };
        let lamps = Lamps { encoder, values: vec![1, 3, 7] };
        let sent = |slot| lamps.encode(slot, &[]);
        assert_eq!(sent(3), Act::Send(ReportKind::Feature, vec![1, 7]));
        assert_eq!(sent(4), Act::Send(ReportKind::Feature, vec![1, 0]));
        assert_eq!(sent(0), Act::Send(ReportKind::Feature, vec![1, 0]));
    }
}
