//! Reports: how many, how fast, and the last one's bytes.

use super::Ui;
use ratatui::layout::Rect;

pub fn draw(ui: &mut Ui<'_>, area: Rect) {
    let mut y = 0;
    for device in ui.device_details().to_vec() {
        let at = Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area };
        let (all, good, bad) = device.reports;
        ui.pair(at, 0, "from", &device.name);
        ui.pair(at, 1, "came", &format!("{all} reports: {good} read, {bad} unreadable"));
        let bytes = if device.last_len == 0 { "none yet".to_owned() } else { device.last_bytes.clone() };
        ui.pair(at, 2, "the last", &bytes);
        if device.last_len > 0 {
            ui.pair(at, 3, "", &format!("{} bytes, as hidraw hands them over", device.last_len));
        }
        if !device.last_bad.is_empty() && at.height > 4 {
            ui.pair(at, 4, "trouble", &device.last_bad);
        }
        y += 6;
    }
}
