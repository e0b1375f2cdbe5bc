//! What the slot types besides its pad: whether it may, whether it is held back, and what games make of both.

use super::Ui;
use crate::widths::{fitting, wrap};
use mantle_talk::KeysView;
use ratatui::layout::Rect;

/// What there is to say, most urgent first, and whether it wants attention. Names that do not fit are counted.
fn words(keys: &KeysView, here: bool, room: usize) -> Vec<(bool, String)> {
    let mut out = Vec::new();
    if !keys.not_agreed.is_empty() {
        let names = format!("▲ this profile wants to type {}; A allows it", keys.not_agreed.join(", "));
        let count = keys.not_agreed.len();
        let number = format!("▲ this profile wants to type {count} things; A allows it");
        out.push((true, fitting(&[&names, &number], room).to_owned()));
    }
    if let Some(fault) = &keys.fault {
        out.push((true, format!("▲ typing does not work: {fault}")));
    } else if let Some(why) = keys.held_back.as_ref().filter(|_| keys.agreed) {
        let also = if why.contains("screen") { "; T: type here too" } else { "" };
        out.push((true, format!("▲ keys are held back {why}{also}")));
    } else if keys.agreed {
        let also = if here { ", here too" } else { "" };
        out.push((false, format!("it types{also}: {}", keys.nodes)));
    }
    if keys.flickers && keys.agreed {
        out.push((
            false,
            "it plays a pad and types: some games flicker between the two; K in Pad makes it keys only".into(),
        ));
    }
    out
}

/// Draws it. Returns the number of lines used, at most the height.
pub fn draw(ui: &mut Ui<'_>, area: Rect) -> u16 {
    let Some(keys) = ui.slot_detail().and_then(|detail| detail.keys.as_ref()) else { return 0 };
    let said = words(keys, ui.snapshot.types_here, usize::from(area.width) * usize::from(area.height));
    let mut y = area.y;
    for (wants, text) in said {
        let style = if wants { ui.theme.doubt } else { ui.theme.quiet };
        for line in wrap(&text, usize::from(area.width)) {
            if y == area.bottom() {
                return area.height;
            }
            ui.text(area.x, y, area.width, style, &line);
            y += 1;
        }
    }
    y - area.y
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_instruction_comes_first() {
        let keys = KeysView {
            nodes: "event7 and event8".into(),
            fault: None,
            held_back: Some("while this screen has the keyboard".into()),
            not_agreed: vec!["key A".into(), "mouse up".into()],
            agreed: true,
            flickers: true,
        };
        let said = words(&keys, false, 80);
        assert!(words(&keys, false, 20)[0].1.contains("wants to type 2 things"), "what does not fit is counted");
        assert_eq!(said[0], (true, "▲ this profile wants to type key A, mouse up; A allows it".into()));
        assert_eq!(said[1], (true, "▲ keys are held back while this screen has the keyboard; T: type here too".into()));
        assert!(!said[2].0 && said[2].1.contains("some games flicker between the two"));
        let quiet = KeysView { agreed: false, not_agreed: Vec::new(), ..keys };
        assert_eq!(words(&quiet, false, 80), []);
    }
}
