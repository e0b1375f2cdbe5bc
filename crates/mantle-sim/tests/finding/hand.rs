//! A hand that does what is asked, late, trembling, and not quite to the end.

use crate::Body;
use crate::draw::Draw;
use mantle_core::finding::{Ask, FieldSearch, Label, Want};
use mantle_core::time::Micros;
use serde::Deserialize;

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Hands {
    reaction: [f64; 2],
    chatter: [f64; 2],
    ramp: [f64; 2],
    tremble: [f64; 2],
    reach: [f64; 2],
    along: [f64; 2],
    sweep: [f64; 2],
    around: [f64; 2],
    early: f64,
}

impl Hands {
    pub fn read(text: &str) -> Self {
        toml::from_str(text).expect("the hands are well formed")
    }
}

/// What the hand is doing: since when, and where it began.
struct Doing {
    ask: Ask,
    control: usize,
    begins: f64,
    from: f64,
    chatter: f64,
    ramp: f64,
    reach: f64,
    along: f64,
    sweep: f64,
    around: f64,
}

pub struct Hand<'a> {
    hands: &'a Hands,
    tremble: f64,
    /// When hands are not yet off: a control is pressed until then.
    early: Option<f64>,
    doing: Option<Doing>,
    /// Where the control is.
    at: f64,
}

impl<'a> Hand<'a> {
    pub fn new(hands: &'a Hands, draw: &mut Draw) -> Self {
        let early = draw.chance(hands.early).then(|| draw.between([0.3, 1.8]));
        Self { hands, tremble: draw.between(hands.tremble), early, doing: None, at: 0.0 }
    }

    /// Goes on with what is asked.
    pub fn follow(&mut self, now: Micros, session: &FieldSearch, device: &mut impl Body, draw: &mut Draw) {
        let Some(wanted) = session.wanted() else { return };
        let (ask, control, seconds) = (session.ask(), session.position(), now.as_seconds());
        // The previous request is carried out until the hand has understood.
        let news = self.doing.as_ref().is_none_or(|doing| doing.ask != ask || doing.control != control);
        if self.doing.as_ref().is_some_and(|doing| doing.control != control) {
            self.at = if wanted.want == Want::DPad { -1.0 } else { 0.0 };
        }
        if news {
            let h = self.hands;
            self.doing = Some(Doing {
                ask,
                control,
                begins: seconds + draw.between(h.reaction),
                from: self.at,
                chatter: draw.between(h.chatter),
                ramp: draw.between(h.ramp),
                reach: draw.between(h.reach),
                along: draw.between(h.along) * if draw.chance(0.5) { 1.0 } else { -1.0 },
                sweep: draw.between(h.sweep),
                around: draw.between(h.around),
            });
        }
        let Some(doing) = &self.doing else { return };
        let since = seconds - doing.begins;
        // Somebody presses what will be asked for first, while hands should be off.
        if let Some(until) = self.early.filter(|_| ask == Ask::HandsOff && session.takes().len() <= 1) {
            let pressed = seconds > 0.25 && seconds < until;
            device.rest();
            if pressed && wanted.want == Want::Button {
                device.set(wanted, 1.0);
            }
            return;
        }
        if since < 0.0 {
            return;
        }
        let want = wanted.want;
        let (to, moves) = match doing.ask {
            Ask::Hold(Label::Low) => (-doing.reach, false),
            Ask::Hold(Label::Toward(direction)) => (2.0 * f64::from(direction), false),
            Ask::Hold(_) => (doing.reach, false),
            Ask::Move => (0.0, true),
            Ask::HandsOff | Ask::Touch | Ask::LetGo | Ask::Decide | Ask::Done => {
                (if want == Want::DPad { -1.0 } else { 0.0 }, false)
            }
        };
        self.at = match want {
            Want::Button => {
                let changes = (to > 0.5) != (doing.from > 0.5);
                let down = if changes && since < doing.chatter { draw.chance(0.5) } else { to > 0.5 };
                f64::from(u8::from(down))
            }
            Want::DPad if moves => (since / doing.around).floor() % 8.0,
            Want::DPad => to,
            Want::Stick | Want::Trigger if moves => {
                // From one end to the other and back; a stick starts from the middle.
                let turns = since / doing.sweep;
                let saw = |turns: f64| 1.0 - (turns.rem_euclid(2.0) - 1.0).abs();
                let share = if want == Want::Stick { 2.0 * saw(turns + 0.5) - 1.0 } else { saw(turns) };
                share * doing.reach
            }
            Want::Stick | Want::Trigger => {
                let share = (since / doing.ramp).min(1.0);
                let shaken = if to == 0.0 { 0.0 } else { self.tremble * (draw.share() - 0.5) };
                (doing.from + (to - doing.from) * share + shaken).clamp(-1.0, 1.0)
            }
        };
        device.rest();
        device.set(wanted, self.at);
        // The other axis of a stick moves along slightly.
        let sibling = match wanted.name.strip_suffix('X') {
            Some(stick) => format!("{stick}Y"),
            None => wanted.name.strip_suffix('Y').map(|stick| format!("{stick}X")).unwrap_or_default(),
        };
        if let Some(sibling) = session.all().iter().find(|wanted| wanted.name == sibling) {
            device.set(sibling, self.at * doing.along);
        }
    }
}
