//! Clicks: what can be clicked stands in the last frame.

use crate::app::App;
use crate::keys::{Binding, Intent};
use crate::mode::Mode;
use crate::rows::{Click, View};
use ratatui::crossterm::event::{MouseButton, MouseEventKind};
use ratatui::layout::Position;

impl App {
    pub(crate) fn handle_mouse(&mut self, kind: MouseEventKind, at: Position) {
        let hit = self.clicks.iter().rev().find(|(area, _)| area.contains(at)).copied();
        match (kind, hit) {
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Key(intent)))) => self.handle_intent(intent),
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Cell(row, stage)))) if self.mode.is_view() => {
                if self.row == Some(row) && self.stage == stage && self.view == View::Board {
                    return self.handle_intent(Intent::Open);
                }
                self.row = Some(row);
                self.stage = stage;
            }
            (
                MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left),
                Some((area, Click::Control { number, travels })),
            ) => {
                let along = f32::from(at.x - area.x) / f32::from(area.width.saturating_sub(1).max(1));
                self.hand_put(number, if travels { along } else { 1.0 });
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Target(target)))) if self.mode.is_view() => {
                let again = self.target() == target;
                self.target = target;
                if again {
                    self.handle_intent(Intent::Binding(Binding::Press));
                }
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Profile(at)))) if self.mode.is_view() => {
                self.choose_profile(at);
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Listed(at)))) if self.mode.is_view() => {
                self.listed = at;
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Found(at)))) => {
                let view = self.snapshot.connecting.clone().unwrap_or_default();
                if let Mode::Connect(connecting) = &mut self.mode {
                    let before = connecting.chosen(&view);
                    connecting.choose(&view, at);
                    if connecting.chosen(&view) == before {
                        self.handle_intent(Intent::Open);
                    }
                }
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Knob(knob)))) => {
                if let Some(slot) = self.felt_slot() {
                    self.choose_knob(slot, self.shaped, knob);
                }
            }
            (MouseEventKind::Up(MouseButton::Left), _) => self.hand_rest(),
            (MouseEventKind::ScrollUp, _) => self.handle_intent(Intent::Up),
            (MouseEventKind::ScrollDown, _) => self.handle_intent(Intent::Down),
            _ => {}
        }
    }
}
