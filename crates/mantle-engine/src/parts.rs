//! Readers of connected devices and their parts.

use mantle_core::control::PartLayout;
use mantle_core::table::{PartRef, Source, Table};

/// The sources of all devices.
pub(crate) fn sources(table: &Table) -> impl Iterator<Item = &Source> {
    table.devices().flat_map(|device| device.sources.iter()).filter_map(|node| table.source(*node))
}

/// The layout of a part.
pub(crate) fn part_layout<'a>(source: &'a Source, part: &PartRef) -> Option<&'a PartLayout> {
    source.layout()?.parts.get(part.local)
}
