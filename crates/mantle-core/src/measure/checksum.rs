//! Checksums in reports: computed, so that each is either verified or absent.

use serde::{Deserialize, Serialize};

/// The width of a checksum, and its byte order.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Width {
    /// One byte.
    One,
    /// Two bytes, low byte first.
    TwoLittle,
    /// Two bytes, high byte first.
    TwoBig,
    /// Four bytes, low byte first.
    Four,
}

impl Width {
    /// Number of bytes.
    #[must_use]
    pub const fn bytes(self) -> usize {
        match self {
            Self::One => 1,
            Self::TwoLittle | Self::TwoBig => 2,
            Self::Four => 4,
        }
    }

    /// Reads a number of this width from the beginning of some bytes.
    #[must_use]
    pub fn read(self, bytes: &[u8]) -> Option<u32> {
        let byte = |at: usize| bytes.get(at).copied().map(u32::from);
        Some(match self {
            Self::One => byte(0)?,
            Self::TwoLittle => byte(0)? | byte(1)? << 8,
            Self::TwoBig => byte(0)? << 8 | byte(1)?,
            Self::Four => byte(0)? | byte(1)? << 8 | byte(2)? << 16 | byte(3)? << 24,
        })
    }

    /// Writes a number of this width.
    pub fn write(self, value: u32, out: &mut [u8]) {
        let le = value.to_le_bytes();
        match self {
            Self::One => out[..1].copy_from_slice(&le[..1]),
            Self::TwoLittle => out[..2].copy_from_slice(&le[..2]),
            Self::TwoBig => out[..2].copy_from_slice(&[le[1], le[0]]),
            Self::Four => out[..4].copy_from_slice(&le),
        }
    }
}

/// An algorithm over bytes.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Checksum {
    /// The sum of all bytes plus a constant.
    Sum {
        /// The constant.
        plus: u8,
    },
    /// The complement of the sum, so that the total is 0.
    Complement,
    /// The exclusive or of all bytes and a constant.
    Xor {
        /// The constant.
        with: u8,
    },
    /// A cyclic redundancy check in the usual parameters: width in bits, polynomial, initial value, whether bits are
    /// mirrored, and what the result is put in exclusive or with.
    Crc {
        /// 8, 16 or 32.
        bits: u8,
        /// Polynomial, the highest bit left out, not mirrored.
        poly: u32,
        /// Initial value.
        init: u32,
        /// Whether bytes and the result are mirrored.
        mirrored: bool,
        /// Exclusive or with the result.
        out: u32,
        /// A byte processed before all others although it is not in the report.
        seed: Option<u8>,
    },
}

const fn crc(bits: u8, poly: u32, init: u32, mirrored: bool, out: u32) -> Checksum {
    Checksum::Crc { bits, poly, init, mirrored, out, seed: None }
}

impl Checksum {
    /// The checksums that are tried, each with its widths.
    pub const KNOWN: [(Self, &'static [Width]); 14] = {
        const ONE: &[Width] = &[Width::One];
        const TWO: &[Width] = &[Width::TwoLittle, Width::TwoBig];
        const FOUR: &[Width] = &[Width::Four];
        const A1: Checksum = Checksum::Crc {
            bits: 32,
            poly: 0x04c1_1db7,
            init: u32::MAX,
            mirrored: true,
            out: u32::MAX,
            seed: Some(0xa1),
        };
        [
            (Self::Sum { plus: 0 }, ONE),
            (Self::Complement, ONE),
            (Self::Xor { with: 0 }, ONE),
            (Self::Xor { with: 0xff }, ONE),
            (crc(8, 0x07, 0, false, 0), ONE),
            (crc(8, 0x31, 0, true, 0), ONE),
            (crc(8, 0x07, 0xff, false, 0), ONE),
            (crc(16, 0x1021, 0xffff, false, 0), TWO),
            (crc(16, 0x1021, 0, false, 0), TWO),
            (crc(16, 0x1021, 0xffff, true, 0xffff), TWO),
            (crc(16, 0x8005, 0xffff, true, 0), TWO),
            (crc(16, 0x8005, 0, true, 0), TWO),
            (crc(32, 0x04c1_1db7, u32::MAX, true, u32::MAX), FOUR),
            (A1, FOUR),
        ]
    };

    /// Computes it.
    #[must_use]
    pub fn of(&self, bytes: &[u8]) -> u32 {
        let sum = || bytes.iter().fold(0u8, |sum, byte| sum.wrapping_add(*byte));
        match *self {
            Self::Sum { plus } => u32::from(sum().wrapping_add(plus)),
            Self::Complement => u32::from(sum().wrapping_neg()),
            Self::Xor { with } => u32::from(bytes.iter().fold(with, |all, byte| all ^ byte)),
            Self::Crc { bits, poly, init, mirrored, out, seed } => {
                let bits = u32::from(bits.clamp(8, 32));
                let mask = u32::MAX >> (32 - bits);
                let all = seed.into_iter().chain(bytes.iter().copied());
                let crc = all.fold(init & mask, |crc, byte| {
                    let byte = u32::from(if mirrored { byte.reverse_bits() } else { byte });
                    let mut crc = crc ^ byte << (bits - 8);
                    for _ in 0..8 {
                        let top = crc >> (bits - 1) & 1;
                        crc = crc << 1 & mask ^ if top == 1 { poly & mask } else { 0 };
                    }
                    crc
                });
                let crc = if mirrored { crc.reverse_bits() >> (32 - bits) } else { crc };
                (crc ^ out) & mask
            }
        }
    }

    /// Its name in the field's words.
    #[must_use]
    pub fn name(&self) -> String {
        match *self {
            Self::Sum { plus: 0 } => "sum".into(),
            Self::Sum { plus } => format!("sum plus {plus:#04x}"),
            Self::Complement => "complement of the sum".into(),
            Self::Xor { with: 0 } => "xor".into(),
            Self::Xor { with } => format!("xor with {with:#04x}"),
            Self::Crc { bits, poly, init, seed, .. } => {
                let seed = seed.map(|seed| format!(", seed {seed:#04x}")).unwrap_or_default();
                format!("CRC-{bits}, polynomial {poly:#x}, from {init:#x}{seed}")
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The check values of the catalogue of CRC algorithms: over the digits 1 to 9.
    #[test]
    fn checksums_match_the_published_check_values() {
        let digits = b"123456789";
        for (checksum, value) in [
            (crc(8, 0x07, 0, false, 0), 0xf4),
            (crc(8, 0x31, 0, true, 0), 0xa1),
            (crc(16, 0x1021, 0xffff, false, 0), 0x29b1),
            (crc(16, 0x1021, 0, false, 0), 0x31c3),
            (crc(16, 0x1021, 0xffff, true, 0xffff), 0x906e),
            (crc(16, 0x8005, 0xffff, true, 0), 0x4b37),
            (crc(16, 0x8005, 0, true, 0), 0xbb3d),
            (crc(32, 0x04c1_1db7, u32::MAX, true, u32::MAX), 0xcbf4_3926),
        ] {
            assert_eq!(checksum.of(digits), value, "{}", checksum.name());
        }
        assert_eq!(Checksum::Sum { plus: 0 }.of(digits), 0xdd);
        assert_eq!(Checksum::Complement.of(digits), 0x23);
        assert_eq!(Checksum::Xor { with: 0 }.of(digits), 0x31);
    }

    #[test]
    fn each_width_reads_back_its_own_writes() {
        for width in [Width::One, Width::TwoLittle, Width::TwoBig, Width::Four] {
            let mut bytes = [0u8; 4];
            let value = 0x1234_5678 & (u32::MAX >> (32 - 8 * width.bytes() as u32));
            width.write(value, &mut bytes);
            assert_eq!(width.read(&bytes[..width.bytes()]), Some(value), "{width:?}");
            assert_eq!(width.read(&bytes[..width.bytes() - 1]), None);
        }
    }
}
