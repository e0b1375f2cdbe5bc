//! The choice of a kind of pad, and of what it has.

use super::Choose;
use crate::intents::KindKey;
use mantle_talk::{FLIGHT_AXES, FlightShape, HATS, PadKind};

impl Choose {
    /// Another kind, or another shape of a flight stick.
    pub(super) fn handle_kind(&mut self, key: KindKey) {
        let PadKind::Flight(FlightShape { axes, buttons, hats }) = self.kind else {
            if key == KindKey::Next {
                self.kind = if self.kind == PadKind::Keys { PadKind::Common } else { PadKind::Flight(self.flight) };
            }
            return;
        };
        // What the device has, one stick, a stick with a twist and a throttle, and all of them.
        let all = [self.flight.axes, 0b11, FlightShape::USUAL.axes, (1 << FLIGHT_AXES.len()) - 1];
        let next = all.iter().position(|own| *own == axes).map_or(0, |at| at + 1);
        let (axes, buttons, hats) = match key {
            KindKey::Next => return self.kind = PadKind::Keys,
            KindKey::More => (axes, buttons + 1, hats),
            KindKey::Fewer => (axes, buttons.saturating_sub(1), hats),
            KindKey::Hats => (axes, buttons, (hats + 1) % (HATS + 1)),
            KindKey::Axes => (all[next % all.len()], buttons, hats),
        };
        self.kind = PadKind::Flight(FlightShape::new(axes, buttons, hats));
    }
}

/// What a pad of this kind has, and how that is changed.
pub(super) fn shape_words(kind: PadKind) -> String {
    match kind {
        PadKind::Common => "k: a flight stick, or keys alone".to_owned(),
        PadKind::Keys => "no pad is made: keys and the mouse".to_owned(),
        PadKind::Flight(shape) => {
            let axes = match shape.axis_names().count() {
                many @ 7.. => format!("{many} axes"),
                _ => shape.axis_names().collect::<Vec<_>>().join(" "),
            };
            format!("{axes}, {} buttons, {} hats", shape.buttons, shape.hats)
        }
    }
}
