//! The limits of everything that a descriptor may ask for: those of the Linux kernel's own parser.

/// Bytes of a report descriptor.
pub const DESCRIPTOR_BYTES: usize = 4096;
/// Bits of one element of a field (Report Size).
pub const FIELD_BITS: u32 = 256;
/// Elements of one field (Report Count), and usages before one main item.
pub const FIELD_ELEMENTS: u32 = 12_288;
/// Bytes of a report, always counting that of a report id.
pub const REPORT_BYTES: u32 = 16_384;
/// Fields of a report; padding does not count.
pub const REPORT_FIELDS: usize = 256;
/// How deep Push may be nested.
pub const PUSH_DEPTH: usize = 4;
