//! Roll call: the question, what was understood, and the progress.
//!
//! ```text
//! Roll call  3 of 25                                  |  all that are called, one a line
//! the pad, the one that is asked for marked           |    ◎ target  ← source
//! what to press, and where that is on a pad           |
//! heard   what was taken for what, with its figures   |
//! ▁▂▆█▆▂▁ the controls that moved                     |
//! what steers                                         |
//! ```

use super::{BARS, Ui, pad_picture};
use mantle_talk::{CallState, RollCallView, Target};
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Lines for the conversation.
const TALK: u16 = 13;
const LIST: u16 = 46;
/// The list, if there is no room for the pad.
const NARROW: u16 = 32;

pub fn draw(ui: &mut Ui<'_>, area: Rect, view: &RollCallView) {
    let theme = ui.theme;
    let done = view.rows.iter().filter(|(_, state)| matches!(state, CallState::Answered(_))).count();
    let at = view.rows.iter().position(|(target, _)| Some(*target) == view.target);
    let x = ui.text(area.x, area.y, area.width, theme.strong, "Roll call");
    let words = match at {
        Some(at) => format!("  {} of {}, {done} answered", at + 1, view.rows.len()),
        None => format!("  over, {done} of {} answered", view.rows.len()),
    };
    let x = ui.text(x, area.y, area.right().saturating_sub(x), theme.quiet, &words);
    if let Some(slot) = ui.snapshot.slots.iter().find(|slot| slot.number == view.slot) {
        let whose = format!("   {}, profile {}", slot.names.join(" and "), slot.profile);
        ui.text(x, area.y, area.right().saturating_sub(x), theme.quiet, &whose);
    }
    let body = Rect { y: area.y + 2, height: area.height.saturating_sub(2), ..area };
    let fits =
        |shape: &pad_picture::Shape| body.width >= shape.size.0 + 3 + LIST && body.height >= shape.size.1 + 1 + TALK;
    let shape = if fits(&pad_picture::LARGE) { &pad_picture::LARGE } else { &pad_picture::SMALL };
    let wide = body.width >= shape.size.0 + 3 + LIST;
    let talk_width = if wide { body.width - LIST - 3 } else { body.width.saturating_sub(NARROW + 1) };
    let list = match wide {
        true => Rect { x: body.right() - LIST, width: LIST, ..body },
        false => Rect { x: body.right().saturating_sub(NARROW), width: NARROW, ..body },
    };
    draw_list(ui, list, view, at);
    let mut talk = Rect { width: talk_width, ..body };
    if fits(shape) {
        let slot = ui.snapshot.slots.iter().find(|slot| slot.number == view.slot);
        let (kind, state) = slot.map(|slot| (slot.kind.clone(), slot.pad)).unwrap_or_default();
        pad_picture::draw(ui, talk, (&kind, &state), shape, view.target.and_then(Target::pad));
        talk.y += shape.size.1 + 2;
        talk.height -= shape.size.1 + 2;
    }
    draw_talk(ui, talk, view);
}

fn draw_list(ui: &mut Ui<'_>, at: Rect, view: &RollCallView, chosen: Option<usize>) {
    let theme = ui.theme;
    let rows = usize::from(at.height);
    let first = chosen.map_or(0, |chosen| (chosen + 2).min(view.rows.len()).saturating_sub(rows));
    for (index, (target, state)) in view.rows.iter().enumerate().skip(first).take(rows) {
        let y = at.y + (index - first) as u16;
        let asked = Some(index) == chosen;
        let (sign, style) = match state {
            _ if asked => ("▸", theme.key),
            CallState::Answered(_) => ("✓", theme.live),
            CallState::Skipped => ("–", theme.quiet),
            CallState::Waiting => ("·", theme.line),
        };
        ui.text(at.x, y, 1, style, sign);
        let name = if asked {
            theme.chosen
        } else if matches!(state, CallState::Answered(_)) {
            Style::new()
        } else {
            theme.quiet
        };
        let called = ui.name_of(*target);
        ui.text(at.x + 2, y, 17, name, &called);
        let words = match state {
            CallState::Answered(source) => format!("← {source}"),
            _ if asked => "← listening".into(),
            CallState::Skipped => "as it was".into(),
            CallState::Waiting => String::new(),
        };
        let style = if asked { theme.key } else { theme.quiet };
        ui.text(at.x + 20, y, at.width.saturating_sub(20), style, &words);
    }
}

/// A target with its action name and its number in games.
fn called(ui: &Ui<'_>, target: Target) -> (String, Option<String>) {
    let row = ui.slot_detail().and_then(|slot| slot.bindings.iter().find(|row| row.target == target));
    let action = row.and_then(|row| row.action.as_deref());
    let name = ui.name_of(target);
    let name = action.map_or_else(|| name.clone(), |action| format!("{name} ({action})"));
    (name, row.and_then(|row| row.prompt.clone()))
}

fn draw_talk(ui: &mut Ui<'_>, at: Rect, view: &RollCallView) {
    let theme = ui.theme;
    let mut lines: Vec<(&str, Style, String)> = Vec::new();
    match view.target {
        Some(target) => {
            let (name, prompt) = called(ui, target);
            let ask = match target {
                _ if !view.hears => "in a moment",
                Target::Pad(own) if own.is_stick() => "push the control for it as far as it goes, then release it",
                _ if target.travels() => "pull the control for it all the way, then release it",
                _ => "press and release the control for it",
            };
            lines.push(("", theme.strong, format!("{name}: {ask}.")));
            let prompt = prompt.map_or(String::new(), |prompt| format!("; games print {prompt}"));
            lines.push(("", theme.quiet, format!("It is {}{prompt}.", view.position)));
        }
        None => {
            lines.push(("", theme.strong, "The roll call is over. Your answers are saved; u undoes them.".into()));
            lines.push(("", theme.quiet, "Enter or Esc returns to the bindings.".into()));
        }
    }
    lines.push(("", theme.quiet, String::new()));
    if let Some((source, plays)) = &view.question {
        lines.push(("used", theme.doubt, format!("{source} already plays {}.", ui.name_of(*plays))));
        let mut words = "Enter moves it here, Tab keeps both, Backspace leaves it there.".to_owned();
        if let [Some(on), Some(back)] = &view.steering {
            words = format!("{words} Or hold {on} to move it, {back} to leave it.");
        }
        lines.push(("", Style::new(), words));
        lines.push(("", theme.quiet, "The same press again keeps both; any other is taken instead.".into()));
    } else if let Some(why) = &view.unclear {
        lines.push(("sure?", theme.doubt, format!("again, please: {why}.")));
    } else if view.pressed {
        lines.push(("heard", theme.live, "something is pressed: release it".into()));
    } else if let Some(last) = &view.last {
        lines.push(("heard", Style::new(), format!("{}: {}", last.device, last.why)));
        if !last.figures.is_empty() {
            lines.push(("", theme.quiet, last.figures.clone()));
        }
        let backwards = if last.inverted { ", backwards" } else { "" };
        let follows: Vec<String> = last.follows.iter().map(|target| ui.name_of(*target)).collect();
        let follows =
            if follows.is_empty() { String::new() } else { format!("; this also binds {}", follows.join(", ")) };
        lines.push(("so", theme.live, format!("{} ← {}{backwards}{follows}", ui.name_of(last.target), last.source)));
    } else if view.target.is_some() {
        lines.push(("heard", theme.quiet, "nothing is pressed yet".into()));
    }
    let mut y = at.y;
    for (label, style, text) in lines {
        let indent = if label.is_empty() && !text.is_empty() && y < at.y + 3 { 0 } else { 7 };
        ui.text(at.x, y, 6, theme.quiet, label);
        y += ui.wrapped(Rect { x: at.x + indent, y, width: at.width.saturating_sub(indent), height: 3 }, style, &text);
        if y >= at.bottom() {
            return;
        }
    }
    y += 1;
    for (name, trace) in view.traces.iter().filter(|_| view.last.is_some() || view.pressed || view.unclear.is_some()) {
        if y >= at.bottom() {
            return;
        }
        let bars: String = trace.iter().map(|value| BARS[usize::from(*value) * (BARS.len() - 1) / 255]).collect();
        ui.text(at.x + 7, y, trace.len() as u16, theme.live, &bars);
        let x = at.x + 9 + trace.len() as u16;
        ui.text(x, y, at.right().saturating_sub(x), theme.quiet, name);
        y += 1;
    }
    y += 1;
    let mut steer = Vec::new();
    if let (Some(on), None) = (&view.steering[0], &view.steering[1]) {
        steer.push(format!("Without a keyboard: hold {on} to skip."));
    }
    if let [Some(on), Some(back)] = &view.steering {
        steer.push(format!("Without a keyboard: hold {on} to skip, {back} to go back, both to stop."));
    }
    if let Some(keyboard) = &view.keyboard {
        steer.push(format!("All keys of {keyboard} answer except Enter, Tab, Backspace and Esc."));
    }
    for text in steer.iter().filter(|_| view.target.is_some()) {
        let left = at.bottom().saturating_sub(y);
        if left == 0 {
            return;
        }
        y += ui.wrapped(Rect { x: at.x, y, width: at.width, height: left }, theme.quiet, text);
    }
}
