//! What controls and lists of numbers mean on the shown slot. Pure: used for the preview and for carrying it out.

use mantle_talk::{DeviceDetail, Face, ListEntry, SeenControl, SeenTarget, SlotDetail, read_list};

/// What a list of numbers would do: each entry in words and whether it is wrong, and whether it counts from 0.
pub(crate) fn list_lines(slot: &SlotDetail, text: &str, from_zero: bool) -> (Vec<(String, bool)>, bool) {
    let (entries, from_zero) = entries_of(slot, text, from_zero);
    let name = |target| slot.bindings.iter().find(|row| row.target == target).map_or("", |row| row.name.as_str());
    let lines = entries.into_iter().map(|entry| match entry {
        ListEntry::Binding(target, named) => (format!("{} ← {}", name(target), named.text()), false),
        ListEntry::Skipped(target) => (format!("{} stays as it is", name(target)), false),
        ListEntry::Fault(why) => (why, true),
    });
    (lines.collect(), from_zero)
}

/// The meaning of each entry of a list, and whether it counts from 0.
pub(crate) fn entries_of(slot: &SlotDetail, text: &str, from_zero: bool) -> (Vec<ListEntry>, bool) {
    let targets: Vec<SeenTarget<'_>> = slot
        .bindings
        .iter()
        .filter(|row| !row.target.is_key())
        .map(|row| SeenTarget {
            target: row.target,
            name: &row.name,
            own: [row.action.as_deref(), row.prompt.as_deref()],
        })
        .collect();
    let controls: Vec<SeenControl<'_>> = slot.devices.iter().flat_map(DeviceDetail::seen_controls).collect();
    read_list(text, &targets, &controls, from_zero)
}

/// Where the controls of a slot's devices sit, by what was typed: of the first device that has all of them.
pub(crate) fn face_of(slot: &SlotDetail, text: &str) -> Result<Face, String> {
    let mut read = slot.devices.iter().map(|device| Face::read(text, &device.seen_controls()));
    let first = read.next().unwrap_or_else(|| Face::read(text, &[]));
    first.or_else(|why| read.find_map(Result::ok).ok_or(why))
}

/// Whether two names mean the same source. A whole travel may be written without saying "whole".
pub(crate) fn same(a: &str, b: &str) -> bool {
    let plain = |text: &str| text.strip_suffix(" whole").unwrap_or(text).to_lowercase();
    plain(a) == plain(b)
}
