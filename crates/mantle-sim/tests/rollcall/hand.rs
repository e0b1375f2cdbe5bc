//! A hand that answers a roll call as documented in hands.toml.

use crate::desk::Desk;
use crate::draw::Draw;
use crate::meaning::{Meant, Way, put, rest};
use mantle_core::binding::Target;
use mantle_core::command::Command;
use mantle_core::control::ControlKind;
use mantle_core::pad::PadTarget;
use mantle_core::rollcall::CallStep;
use mantle_core::time::Micros;
use mantle_talk::HandMove;
use serde::Deserialize;

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Hand {
    pub name: String,
    reaction: [f64; 2],
    hold: [f64; 2],
    ramp: [f64; 2],
    tremble: f64,
    reach: [f64; 2],
    along: [f64; 2],
    touch: f64,
    touched: [f64; 2],
    before: [f64; 2],
    drift: f64,
    alone: bool,
}

#[derive(Deserialize)]
struct Hands {
    hand: Vec<Hand>,
}

pub fn read(text: &str) -> Vec<Hand> {
    let Hands { hand } = toml::from_str(text).expect("the hands are well formed");
    hand
}

/// One press: times from its beginning.
struct Press {
    at: f64,
    ramp: f64,
    hold: f64,
    reach: f64,
    along: Option<(String, f64)>,
    touch: Option<(String, f64, f64)>,
    /// It may have to hold what steers.
    steers: bool,
}

/// For how long what steers is held.
const HELD: f64 = 1.1;

impl Press {
    /// How far it is at a time, 0 to 1.
    fn share(&self, seconds: f64) -> f64 {
        let since = seconds - self.at;
        let end = 2.0 * self.ramp + self.hold;
        match since {
            _ if since < 0.0 || since > end => 0.0,
            _ if since < self.ramp => since / self.ramp,
            _ if since > self.ramp + self.hold => (end - since) / self.ramp,
            _ => 1.0,
        }
    }

    fn end(&self) -> f64 {
        let touched = self.touch.as_ref().map_or(0.0, |(_, from, long)| from + long);
        let held = if self.steers { HELD } else { 2.0 * self.ramp + self.hold };
        (self.at + held).max(touched)
    }
}

/// What a hand is at.
struct Doing {
    /// What it answers: the target, how often it was not understood, whether it is asked what to do with a control.
    asked: (Option<Target>, bool, bool),
    press: Press,
    /// What is pressed; nothing if it does not know anything for the target.
    meant: Option<Meant>,
}

impl Hand {
    fn press(&self, desk: &Desk, meant: Option<&Meant>, draw: &mut Draw) -> Press {
        let at = desk.now.as_seconds() + draw.between(self.reaction);
        let moved = meant.map_or("", |meant| meant.control.as_str());
        let other = |kind: ControlKind, draw: &mut Draw| {
            let all = desk.part().controls.iter().filter(|one| one.kind == kind && one.name != moved);
            let all: Vec<String> = all.map(|control| control.name.clone()).collect();
            (!all.is_empty()).then(|| draw.one_of(&all))
        };
        let is_axis = matches!(meant, Some(Meant { way: Way::End(_), .. }));
        let along = if is_axis { other(ControlKind::Axis, draw) } else { None };
        let touch = if draw.chance(self.touch) { other(ControlKind::Button, draw) } else { None };
        let steers = self.alone && (meant.is_none() || desk.call().is_some_and(|call| call.question().is_some()));
        Press {
            at,
            steers,
            ramp: draw.between(self.ramp),
            hold: draw.between(self.hold),
            reach: draw.between(self.reach),
            along: along.map(|name| (name, draw.between(self.along))),
            touch: touch.map(|name| (name, at - draw.between(self.before), draw.between(self.touched))),
        }
    }

    /// Answers until the roll call is over, or until it gives up; returns whether it was over.
    pub fn answer(&self, desk: &mut Desk, meant: &[Meant], draw: &mut Draw) -> bool {
        let axes: Vec<(String, f32, f64)> = desk
            .part()
            .controls
            .clone()
            .into_iter()
            .filter(|control| control.kind == ControlKind::Axis)
            .map(|control| {
                let drift = self.drift * if draw.chance(0.5) { 1.0 } else { -1.0 };
                (control.name.clone(), rest(desk, &control), drift)
            })
            .collect();
        let mut doing: Option<Doing> = None;
        let begun = desk.now;
        while desk.now.since(begun) < Micros::seconds(600) {
            let Some(call) = desk.call().filter(|call| call.target().is_some()) else { return true };
            let asked = (call.target(), call.unclear().is_some(), call.question().is_some());
            let seconds = desk.now.as_seconds();
            // Nothing was heard, or not understood: once more, a moment after it was done.
            let stale = doing.as_ref().is_none_or(|doing| doing.asked.0 != asked.0 || doing.asked.2 != asked.2);
            let again = doing.as_ref().is_some_and(|doing| seconds > doing.press.end() + 0.4);
            if (stale && doing.as_ref().is_none_or(|doing| seconds > doing.press.end())) || again {
                let own = meant.iter().find(|own| Some(own.target) == asked.0).cloned();
                let press = self.press(desk, own.as_ref(), draw);
                doing = Some(Doing { asked, press, meant: own });
            }
            // A key is pressed once.
            if let Some(now) = &doing
                && self.act(desk, now, seconds, &axes, begun, draw)
            {
                doing = None;
            }
            desk.step();
        }
        false
    }

    /// Moves what is to be moved at this moment; returns whether it pressed a key of its keyboard instead.
    fn act(
        &self,
        desk: &mut Desk,
        doing: &Doing,
        seconds: f64,
        axes: &[(String, f32, f64)],
        begun: Micros,
        draw: &mut Draw,
    ) -> bool {
        desk.interface.handle_move(0, HandMove::Take(true));
        let press = &doing.press;
        let share = press.share(seconds);
        let minutes = (seconds - begun.as_seconds()) / 60.0;
        for (name, rest, drift) in axes {
            let number = desk.control(name).number.0;
            let mut at = f64::from(*rest) + drift * (minutes * 2.0).sin() / 2.0;
            if let Some(Meant { control, way: Way::End(end), .. }) = &doing.meant
                && control == name
            {
                at += (f64::from(*end) - at) * share * press.reach;
            }
            if let Some((_, along)) = press.along.as_ref().filter(|(other, _)| other == name) {
                let far = if at < 0.5 { 1.0 } else { 0.0 };
                at += (far - at) * share * along;
            }
            at += self.tremble * (draw.share() - 0.5);
            desk.interface.handle_move(0, HandMove::Put { control: number, share: at.clamp(0.0, 1.0) as f32 });
        }
        if let Some((name, from, long)) = &press.touch
            && (*from..from + long).contains(&seconds)
        {
            let touched = Meant { target: PadTarget::South.into(), control: name.clone(), way: Way::Down };
            put(desk, &touched, 1.0);
        }
        let Some(call) = desk.call() else { return true };
        let step = match (&doing.meant, call.question()) {
            // What is asked about is either what was meant, or a touch.
            (Some(meant), Some(question)) => {
                let rest = axes.iter().find(|(name, ..)| *name == meant.control).map_or(0.0, |(_, rest, _)| *rest);
                let own = question.answer.source.text() == meant.source(rest);
                Some(if own { CallStep::Move } else { CallStep::Again })
            }
            (None, Some(_)) => Some(CallStep::Again),
            (Some(_), None) => None,
            (None, None) => Some(CallStep::Skip),
        };
        match (step, call.steering()) {
            // Without a keyboard the first button that answered is held.
            (Some(step), [Some(on), Some(back)]) if self.alone => {
                let name = if step == CallStep::Again { back } else { on }.to_owned();
                let since = seconds - press.at;
                if (0.0..HELD).contains(&since) {
                    put(desk, &Meant { target: PadTarget::South.into(), control: name, way: Way::Down }, 1.0);
                }
            }
            (Some(step), _) if seconds >= press.at => {
                desk.command(Command::StepCall(step));
                return true;
            }
            (Some(_), _) => {}
            (None, _) => {
                if let Some(meant) = doing.meant.as_ref().filter(|meant| !matches!(meant.way, Way::End(_)))
                    && share > 0.0
                {
                    put(desk, meant, 1.0);
                }
            }
        }
        false
    }
}
