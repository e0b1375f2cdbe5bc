//! Mouse: whatever can be clicked is listed with the last frame.

use crate::app::App;
use crate::keys::{Binding, FeelKey, Intent, PadKey, ProfilesKey};
use crate::mode::Mode;
use crate::rows::{Click, View};
use mantle_talk::Stage;
use ratatui::crossterm::event::{MouseButton, MouseEventKind};
use ratatui::layout::Position;

impl App {
    pub(crate) fn handle_mouse(&mut self, kind: MouseEventKind, at: Position) {
        let hit = self.clicks.iter().rev().find(|(area, _)| area.contains(at)).copied();
        match (kind, hit) {
            // A hint means what it meant where it was read: a snapshot may have led elsewhere since.
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Key(intent)))) if self.drawn == self.place() => {
                self.handle_intent(intent);
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Cell(row, stage)))) if self.mode.is_view() => {
                if self.row == Some(row) && self.stage == stage && self.view == View::Board {
                    return self.handle_intent(Intent::Open);
                }
                self.row = Some(row);
                self.stage = stage;
            }
            (
                MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left),
                Some((area, Click::Control { of, number, travels })),
            ) => {
                let along = f32::from(at.x - area.x) / f32::from(area.width.saturating_sub(1).max(1));
                self.hand_put(of, number, if travels { along } else { 1.0 });
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Target(target)))) if self.mode.is_view() => {
                let again = self.target() == target;
                self.target = target;
                if again {
                    let pad = self.stage == Stage::Pad && self.view == View::Stage;
                    let press = if pad { Intent::Pad(PadKey::Press) } else { Intent::Binding(Binding::Press) };
                    self.handle_intent(press);
                }
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Profile(at)))) if self.mode.is_view() => {
                if self.shelf_places().0 == at {
                    return self.handle_intent(Intent::Profiles(ProfilesKey::PlayBy));
                }
                self.choose_profile(at);
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Listed(at)))) if self.mode.is_view() => {
                self.listed = at;
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Offer(at)))) => {
                if let Mode::Typing(typing) = &mut self.mode
                    && typing.choose(at)
                {
                    self.handle_intent(Intent::Open);
                }
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
            // The right button steps a value back.
            (MouseEventKind::Down(button), Some((_, Click::Knob(knob)))) if self.mode.is_view() => {
                if let Some(slot) = self.felt_slot() {
                    if self.knob == knob {
                        let more = button == MouseButton::Left;
                        return self.handle_intent(Intent::Feel(if more { FeelKey::More } else { FeelKey::Less }));
                    }
                    self.choose_knob(slot, self.shaped, knob);
                }
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Shaped(at)))) if self.mode.is_view() => {
                if let Some(slot) = self.felt_slot() {
                    self.choose_knob(slot, at, self.knob);
                }
            }
            (MouseEventKind::Down(button), Some((_, Click::Choice(at)))) if self.mode.is_view() => {
                if self.choice == at {
                    let more = button == MouseButton::Left;
                    return self.handle_intent(Intent::Binding(if more { Binding::More } else { Binding::Less }));
                }
                self.choice = at;
            }
            (MouseEventKind::Down(MouseButton::Left), Some((_, Click::Member(member)))) => {
                if let Mode::Members(members) = &mut self.mode {
                    members.chosen = member;
                }
            }
            (MouseEventKind::Up(MouseButton::Left), _) => self.hand_rest(),
            (MouseEventKind::ScrollUp, _) => self.handle_intent(Intent::Up),
            (MouseEventKind::ScrollDown, _) => self.handle_intent(Intent::Down),
            _ => {}
        }
    }
}
