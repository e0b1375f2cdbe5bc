//! Checksums.

use super::{At, Reader};
use mantle_core::control::Verify;
use mantle_core::measure::{Checksum, Width};
use mantle_hid::ReportKind;

const CHECKSUM_KINDS: &[&str] = &["sum", "complement", "xor", "crc-8", "crc-16", "crc-32"];

impl Reader<'_> {
    pub(super) fn checksum(&mut self, at: &At<'_>) -> Option<Verify> {
        let of = match at.table.contains_key("of") {
            true => [ReportKind::Input, ReportKind::Output, ReportKind::Feature]
                [self.one_of(at, "of", &["input", "output", "feature"])?],
            false => ReportKind::Input,
        };
        let report = self.report(at)?;
        if !at.table.contains_key("kind") {
            return self.missing(at, "kind", &format!("allowed: {}", CHECKSUM_KINDS.join(", ")));
        }
        let kind = CHECKSUM_KINDS[self.one_of(at, "kind", CHECKSUM_KINDS)?];
        if !at.table.contains_key("at") {
            return self.missing(at, "at", "`at` has to say at which byte of the report the checksum starts");
        }
        let place = self.number(at, "at", 1..16_384)? as usize;
        let from = match at.table.contains_key("from") {
            true => self.number(at, "from", 0..place as i64)? as usize,
            false => 0,
        };
        let byte = |reader: &mut Self, key: &str| reader.number(at, key, 0..256).map(|number| number as u8);
        let mut crc = |bits: u8, usual: (u32, u32, bool, u32)| {
            let top = 1i64 << bits;
            let number = |reader: &mut Self, key: &str, usual: u32| match at.table.contains_key(key) {
                true => reader.number(at, key, 0..top).map(|number| number as u32),
                false => Some(usual),
            };
            Some(Checksum::Crc {
                bits,
                poly: number(self, "polynomial", usual.0)?,
                init: number(self, "initial", usual.1)?,
                mirrored: if at.table.contains_key("mirrored") { self.flag(at, "mirrored")? } else { usual.2 },
                out: number(self, "final", usual.3)?,
                seed: byte(self, "seed"),
            })
        };
        let checksum = match kind {
            "crc-8" => crc(8, (0x07, 0, false, 0))?,
            "crc-16" => crc(16, (0x1021, 0xffff, false, 0))?,
            "crc-32" => crc(32, (0x04c1_1db7, u32::MAX, true, u32::MAX))?,
            "sum" => Checksum::Sum { plus: byte(self, "plus").unwrap_or(0) },
            "complement" => Checksum::Complement,
            _ => Checksum::Xor { with: byte(self, "with").unwrap_or(0) },
        };
        let big = at.table.contains_key("order") && self.one_of(at, "order", &["little", "big"])? == 1;
        let width = match (kind, big) {
            ("crc-16", false) => Width::TwoLittle,
            ("crc-16", true) => Width::TwoBig,
            ("crc-32", _) => Width::Four,
            _ => Width::One,
        };
        Some(Verify { kind: of, report, checksum, width, at: place, from })
    }
}
