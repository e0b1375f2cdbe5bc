//! Bytes to HID meaning and back: report descriptors and reports, after the *Device Class Definition for HID 1.11*.
//!
//! The crate promises three things: what a descriptor says is read as the Linux kernel reads it; no bytes, however
//! broken, make it panic, loop or take more memory than a descriptor of 4,096 bytes deserves; and a compiled
//! [`Plan`] decodes without allocating.
//!
//! Its nouns: an [`Item`] is one entry of a descriptor; a [`Descriptor`] is all of them understood, as [`Report`]s
//! made of [`Field`]s in a tree of [`Collection`]s; a [`Plan`] is a decoder compiled from it; a [`Frame`] is what
//! it fills in.
//!
//! ```
//! use mantle_hid::{Descriptor, Frame, Plan, ReportId, ReportKind, Want};
//! // A game pad with eight buttons and nothing else.
//! let bytes = [
//!     0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
//!     0x95, 0x08, 0x81, 0x02, 0xc0,
//! ];
//! let descriptor = Descriptor::parse(&bytes)?;
//! let report = &descriptor.reports()[0];
//! assert_eq!((report.kind, report.bits), (ReportKind::Input, 8));
//! // Button 3 into bit 0 of the frame.
//! let plan = Plan::compile(&descriptor, &[Want::Bit { report: ReportId(0), offset: 2, to: 0 }]);
//! let mut frame = Frame::default();
//! plan.decode(&[0b0000_0100], &mut frame).expect("a whole report");
//! assert!(frame.bit(0));
//! # Ok::<(), mantle_hid::ParseError>(())
//! ```
#![forbid(unsafe_code)]

pub mod bits;
mod descriptor;
mod encode;
mod error;
mod item;
pub mod limits;
mod plan;
mod report;
pub mod usage;
mod usage_list;

pub use descriptor::{Collection, Descriptor};
pub use encode::EncodeError;
pub use error::{DecodeError, ParseError, Problem};
pub use item::{Item, ItemType, Items};
pub use plan::{Frame, Plan, ReportIndex, VALUES, WORDS, Want};
pub use report::{CollectionIndex, Field, FieldKind, Report, ReportId, ReportKind};
pub use usage::Usage;
pub use usage_list::UsageList;
