//! What can be wrong with a descriptor or a report, and where.

use thiserror::Error;

/// A descriptor that is refused: what is wrong, and at which byte.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Error)]
#[error("byte {offset}: {problem}")]
pub struct ParseError {
    /// Offset of the item in question from the start of the descriptor.
    pub offset: usize,
    /// What is wrong with it.
    pub problem: Problem,
}

/// The reasons why a descriptor is refused.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Error)]
pub enum Problem {
    /// There is nothing to read.
    #[error("the descriptor is empty")]
    Empty,
    /// Longer than the kernel accepts.
    #[error("the descriptor has {0} bytes, at most {max} are read", max = crate::limits::DESCRIPTOR_BYTES)]
    TooLong(usize),
    /// An item's data runs past the end.
    #[error("the item wants {wanted} more bytes, {left} are left")]
    CutShort {
        /// Bytes that the item's prefix asks for.
        wanted: usize,
        /// Bytes that there are.
        left: usize,
    },
    /// A global item with a tag that the standard does not define.
    #[error("unknown global item, tag {0}")]
    UnknownGlobal(u8),
    /// Report size above the limit.
    #[error("report size {0} is over {max} bits", max = crate::limits::FIELD_BITS)]
    ReportSize(u32),
    /// Report count above the limit.
    #[error("report count {0} is over {max}", max = crate::limits::FIELD_ELEMENTS)]
    ReportCount(u32),
    /// Report ids go from 1 to 255.
    #[error("report id {0} is not within 1 to 255")]
    ReportId(u32),
    /// Push more often than the limit allows.
    #[error("push is nested deeper than {max}", max = crate::limits::PUSH_DEPTH)]
    PushDepth,
    /// Pop without a push.
    #[error("pop without a push")]
    PopWithoutPush,
    /// A report that would be longer than the kernel's buffer.
    #[error("report {id} would have {bits} bits, over {max} bytes", max = crate::limits::REPORT_BYTES)]
    ReportTooLong {
        /// Its report id, 0 if it has none.
        id: u8,
        /// Its length so far.
        bits: u64,
    },
    /// More fields in a report than the limit.
    #[error("report {0} has more than {max} fields", max = crate::limits::REPORT_FIELDS)]
    TooManyFields(u8),
    /// More usages before a main item than the limit.
    #[error("more than {max} usages before one main item", max = crate::limits::FIELD_ELEMENTS)]
    TooManyUsages,
    /// An end of collection without a collection.
    #[error("end of a collection that was not begun")]
    EndWithoutCollection,
    /// A collection that is not ended.
    #[error("{0} collections are not ended")]
    OpenCollections(usize),
    /// A delimiter set within a delimiter set.
    #[error("a delimiter set within a delimiter set")]
    NestedDelimiter,
    /// The end of a delimiter set that was not begun.
    #[error("end of a delimiter set that was not begun")]
    EndWithoutDelimiter,
    /// A delimiter set that is not ended.
    #[error("a delimiter set is not ended")]
    OpenDelimiter,
}

/// A report that cannot be read.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Error)]
pub enum DecodeError {
    /// No bytes at all.
    #[error("the report is empty")]
    Empty,
    /// A checksum required by a sheet is wrong.
    #[error("its checksum is wrong")]
    Checksum,
    /// The descriptor has no input report of that id.
    #[error("no input report has the id 0x{0:02x}")]
    UnknownId(u8),
    /// Fewer bytes than the descriptor says; nothing was accepted.
    #[error("report 0x{id:02x} has {got} bytes, its descriptor says {want}")]
    Short {
        /// Report id, 0 if the device numbers none.
        id: u8,
        /// Bytes that came, the id byte included.
        got: usize,
        /// Bytes that the descriptor asks for, the id byte included.
        want: usize,
    },
}
