//! What controls and lists of numbers mean on the slot that is seen: pure, for the line that is typed and for what comes of it.

use mantle_talk::{ControlRow, DeviceDetail, ListEntry, SeenControl, SeenTarget, SlotDetail, read_list};

/// The controls of a device as a person means them.
pub(crate) fn seen_controls(device: &DeviceDetail) -> Vec<SeenControl<'_>> {
    device.controls.iter().map(seen_control).collect()
}

fn seen_control(control: &ControlRow) -> SeenControl<'_> {
    SeenControl { name: &control.name, kind: &control.kind, number: control.number }
}

/// What a list of numbers would do on a slot: each entry in words and whether it is wrong, and whether it counts from 0.
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

/// What each entry of a list means on a slot, and whether it counts from 0.
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
    let controls: Vec<SeenControl<'_>> = slot.devices.iter().flat_map(seen_controls).collect();
    read_list(text, &targets, &controls, from_zero)
}

/// Whether two names mean the same source; a whole travel is also written without saying so.
pub(crate) fn same(a: &str, b: &str) -> bool {
    let plain = |text: &str| text.strip_suffix(" whole").unwrap_or(text).to_lowercase();
    plain(a) == plain(b)
}
