//! Pad: the pad drawn live, the device's controls beside it, and the check-off list.

use super::{Ui, controls, pad_picture};
use ratatui::layout::Rect;
use ratatui::style::Style;

pub fn draw(ui: &mut Ui<'_>, area: Rect, in_hand: bool) {
    let Some(detail) = ui.slot_detail().cloned() else { return };
    let Some(row) = ui.snapshot.slots.iter().find(|row| row.number == detail.number).cloned() else { return };
    pad_picture::draw(ui, area, &row.pad);
    let wide = area.width >= 130;
    let picture = pad_picture::SIZE;
    if wide {
        let list = Rect { x: area.x + picture.0 + 4, width: 34, ..area };
        check_list(ui, list, 1);
        let right = Rect { x: list.right() + 2, width: area.right().saturating_sub(list.right() + 2), ..area };
        controls::draw(ui, right, in_hand);
    } else if area.width >= picture.0 + 28 {
        let list = Rect { x: area.x + picture.0 + 3, width: area.width - picture.0 - 3, ..area };
        check_list(ui, list, 1);
    }
    if area.height >= picture.1 + 4 && (wide || area.height < picture.1 + 8) {
        let y = area.y + picture.1 + 1;
        let place = if detail.pad_node.is_empty() { "not there yet".to_owned() } else { detail.pad_node.clone() };
        ui.pair(Rect { y, height: 2, ..area }, 0, &row.kind, &place);
        let rumble = match detail.rumble {
            Some((strong, weak)) => format!(
                "a game asks for strong {} %, weak {} %",
                u32::from(strong) * 100 / 65535,
                u32::from(weak) * 100 / 65535
            ),
            None => "no game asks for any".into(),
        };
        ui.pair(Rect { y, height: 2, ..area }, 1, "rumble", &rumble);
    } else if area.height > picture.1 && area.height <= picture.1 + 3 {
        still_to_try(ui, Rect { y: area.bottom() - 1, height: 1, ..area });
    } else if area.height > picture.1 + 3 {
        let below = Rect { y: area.y + picture.1 + 1, height: area.height - picture.1 - 1, ..area };
        if area.width >= picture.0 + 28 {
            controls::draw(ui, below, in_hand);
        } else {
            check_list(ui, below, area.width / 26);
        }
    }
}

/// The check-off list in one line, where there is no room for more.
fn still_to_try(ui: &mut Ui<'_>, area: Rect) {
    let Some(detail) = ui.slot_detail() else { return };
    let bound: Vec<_> = detail.bindings.iter().filter(|binding| !binding.sources.is_empty()).collect();
    let left: Vec<_> = bound.iter().filter(|binding| !binding.seen).map(|binding| binding.target.name()).collect();
    let seen = bound.len() - left.len();
    let text = if left.is_empty() {
        format!("✓ all {seen} seen from rest to full and back")
    } else {
        format!("{seen} of {} seen to full and back; still to try: {}", bound.len(), left.join(", "))
    };
    ui.text(area.x, area.y, area.width, ui.theme.quiet, &text);
}

/// Which of the bound targets have been seen from rest to full and back.
fn check_list(ui: &mut Ui<'_>, area: Rect, columns: u16) {
    let Some(detail) = ui.slot_detail().cloned() else { return };
    let bound: Vec<_> = detail.bindings.iter().filter(|binding| !binding.sources.is_empty()).collect();
    let seen = bound.iter().filter(|binding| binding.seen).count();
    let heading = if bound.is_empty() {
        "nothing is bound".to_owned()
    } else if seen == bound.len() {
        format!("✓ all {seen} seen from rest to full and back")
    } else {
        format!("seen to full and back: {seen} of {}", bound.len())
    };
    let style = if seen == bound.len() && seen > 0 { ui.theme.live } else { ui.theme.quiet };
    ui.text(area.x, area.y, area.width, style, &heading);
    let columns = columns.max(1);
    let width = area.width / columns;
    for (index, binding) in bound.iter().enumerate() {
        let (column, line) = (index as u16 % columns, index as u16 / columns);
        let y = area.y + 1 + line;
        if y >= area.bottom() {
            break;
        }
        let x = area.x + column * width;
        let (style, sign) = if binding.seen { (ui.theme.live, "✓") } else { (ui.theme.line, "○") };
        ui.text(x, y, 1, style, sign);
        let live = binding.share > 0.02;
        ui.text(
            x + 2,
            y,
            width.saturating_sub(3).min(18),
            if live { ui.theme.live } else { Style::new() },
            binding.target.name(),
        );
        if columns == 1 && live {
            ui.bar(x + 21, y, 8, binding.share, ui.theme.live);
        }
    }
}
