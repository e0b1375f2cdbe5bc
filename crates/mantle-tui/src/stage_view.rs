//! A stage view: the slot's path in a strip, the stage over the rest.

use crate::board;
use crate::panel::{self, Ui};
use crate::rows::{Click, Row};
use crate::told::{self, At};
use crate::widths::middle;
use mantle_talk::{Mark, Sentence, Stage};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Draws it; `walked` is the sentence that `w` came here for.
pub fn draw(ui: &mut Ui<'_>, area: Rect, row: Option<Row>, stage: Stage, in_hand: bool, walked: Option<&Sentence>) {
    let Some(row) = row else {
        ui.text(area.x + 1, area.y, area.width, ui.theme.quiet, "Nothing is connected, and no slot is in use.");
        return;
    };
    strip(ui, area, row, stage);
    let mut y = area.y + 3;
    let snapshot = ui.snapshot;
    if let Row::Slot(number) = row
        && let Some(slot) = snapshot.slots.iter().find(|slot| slot.number == number)
    {
        if slot.sentence.mark != Mark::Well {
            // The sentence that `w` came here for, or the slot's first; and how many more there are.
            let sentence = told::of_slot(snapshot, slot, walked);
            y += told::sentence(ui, area.x + 1, y, area.width - 2, sentence, At::View) - 1;
            let own = snapshot.sentences.iter().filter(|one| one.slot == Some(number)).count();
            let more = own.saturating_sub(1);
            if area.height > 30 && more > 0 {
                y += told::more(ui, area.x + 3, y + 1, area.width - 4, more);
            }
            if let Some(next) = &slot.next
                && area.height > 30
            {
                y += 1;
                ui.text(area.x + 3, y, area.width - 4, ui.theme.quiet, &format!("next: {next}"));
            }
        } else {
            let next = slot.next.as_ref().map_or_else(|| "ready".to_owned(), |next| format!("next: {next}"));
            let x = ui.text(area.x + 1, y, area.width - 2, ui.theme.live, &format!("✓ {}", slot.sentence.text));
            ui.text(x + 2, y, area.width.saturating_sub(x + 3), ui.theme.quiet, &next);
        }
    }
    y += 2;
    let rest = Rect { x: area.x + 1, y, width: area.width - 2, height: area.bottom().saturating_sub(y) };
    panel::draw(ui, rest, stage, in_hand);
}

/// The slot's path; each stage can be clicked.
fn strip(ui: &mut Ui<'_>, area: Rect, row: Row, chosen: Stage) {
    let theme = ui.theme;
    let (title, under, states) = match row {
        Row::Slot(number) => {
            let slot = ui.snapshot.slots.iter().find(|slot| slot.number == number);
            let under = slot.map(|slot| slot.profile.clone()).unwrap_or_default();
            (format!("Slot {}", number.number()), under, slot.map(|slot| (slot.stages, slot.passed)))
        }
        Row::Device(id, part) => {
            let device = ui.snapshot.devices.iter().find(|d| (d.id, d.part) == (id, part));
            let waits = device.and_then(|device| device.waits);
            let title = waits.map_or("no slot".into(), |slot| format!("Slot {} waits", slot.number()));
            (title, device.map(|device| device.name.clone()).unwrap_or_default(), None)
        }
    };
    let head = 14;
    ui.text(area.x + 1, area.y, head - 1, theme.strong, &title);
    ui.text(area.x + 1, area.y + 1, head - 2, theme.quiet, &middle(&under, usize::from(head - 2)));
    let width = (area.width - head - 2) / Stage::COUNT as u16;
    for (index, stage) in Stage::ALL.into_iter().enumerate() {
        let x = area.x + head + index as u16 * width;
        let style = if stage == chosen { theme.chosen } else { Style::new() };
        let end = ui.text(x, area.y, width - 1, style, stage.name());
        if stage != chosen && end > x {
            // Its key.
            ui.text(x, area.y, 1, theme.key, &stage.name()[..1]);
        }
        if let Some((states, passed)) = &states {
            let lit = board::lit(ui.snapshot.now, &passed[index]);
            board::segment(ui, x, area.y + 1, if index == Stage::COUNT - 1 { 1 } else { width }, states[index], lit);
        } else {
            ui.text(x, area.y + 1, 1, theme.quiet, if index == 0 { "●" } else { "○" });
        }
        ui.clicks.push((Rect { x, y: area.y, width, height: 2 }, Click::Key(crate::keys::Intent::Go(stage))));
    }
}
