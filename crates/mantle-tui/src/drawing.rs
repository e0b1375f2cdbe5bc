//! Draws a frame from one snapshot.

use crate::app::App;
use crate::keys::Key;
use crate::panel::Ui;
use crate::rows::View;
use crate::{ascii, board, key_table, stage_view};
use ratatui::Frame;
use ratatui::layout::Rect;

impl App {
    /// Draws everything.
    pub fn draw(&mut self, frame: &mut Frame<'_>) {
        let whole = frame.area();
        let buffer = frame.buffer_mut();
        let below = self.tour.as_ref().map_or(0, |tour| tour.height(whole.width)).min(whole.height);
        let area = Rect { height: whole.height - below, ..whole };
        (self.width, self.height) = (area.width, area.height);
        let mut clicks = Vec::new();
        let fresh = self.is_fresh();
        let layer = self.layer();
        let asked = self.listening().and_then(|listening| listening.asks());
        let mut ui = Ui {
            buffer,
            layer: &layer,
            choice: self.choice,
            theme: self.theme,
            snapshot: &self.snapshot,
            fresh,
            frozen: self.frozen.as_ref(),
            target: self.target(),
            shaped: self.shaped(),
            knob: self.knob,
            trying: self.tried_slot().is_some(),
            ascii: self.look.ascii,
            marked: &self.marked,
            listening: self.listening().is_some(),
            asked: asked.as_deref(),
            calibrating: self.calibrating().is_some(),
            listed: self.listed,
            seen: self.seen.of(self.row),
            traces: &self.traces,
            hand: self.hand.as_ref().map(|hand| hand.chosen),
            hand_keys: false,
            clicks: &mut clicks,
        };
        if whole.width < crate::widths::SMALLEST.0 || whole.height < crate::widths::SMALLEST.1 {
            let (w, h) = crate::widths::SMALLEST;
            ui.text(
                area.x,
                area.y,
                area.width,
                self.theme.doubt,
                &format!("{w}x{h} cells are needed: enlarge the terminal"),
            );
        } else {
            let top = Rect { height: 1, ..area };
            let foot = Rect { y: area.bottom() - 1, height: 1, ..area };
            let main = Rect { y: area.y + 2, height: area.height - 4, ..area }.intersection(area);
            ui.title(top, self.view == View::Board);
            match self.view {
                _ if self.snapshot.finding.is_some() => {
                    if let Some(view) = &self.snapshot.finding {
                        let area = Rect { x: main.x + 1, width: main.width.saturating_sub(2), ..main };
                        crate::panel::finding::draw(&mut ui, area, view, self.hand.is_some());
                    }
                }
                View::Board => board::draw(&mut ui, main, self.row, self.stage),
                View::Stage => {
                    let walked = self.walked.as_ref();
                    stage_view::draw(&mut ui, main, self.row, self.stage, self.hand.is_some(), walked);
                }
                View::Journal => crate::panel::journal::draw(&mut ui, main, self.back),
                View::Profiles => {
                    let (chosen, scroll) = (self.shelf_places().0, self.shelf.scroll);
                    crate::panel::profiles::draw(&mut ui, main, chosen, scroll, self.playing_slot());
                }
            }
            crate::tour::greet(&mut ui, main, &self.greeting);
            let place = self.place();
            self.mode.draw(&mut ui, main, &self.keys_of_use());
            let keys: Vec<Key> =
                key_table::table(place).into_iter().filter(|key| key.hint && self.possible(key.intent)).collect();
            ui.foot(foot, &keys, self.message.as_ref(), self.hand.is_some() && place.has_hand());
        }
        self.seen = ui.seen;
        if let Some(tour) = &mut self.tour {
            tour.see(buffer, area);
            tour.draw(buffer, Rect { y: area.bottom(), height: below, ..whole }, &self.theme, &mut clicks);
        }
        (self.clicks, self.drawn) = (clicks, self.place());
        if self.look.ascii {
            ascii::replace(buffer);
        }
    }
}
