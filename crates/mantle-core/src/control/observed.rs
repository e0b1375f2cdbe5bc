//! Controls looked at while they are used: how far each has been seen to go, where it rests, and how much it trembles there.

use super::{Control, PartLayout, Place};
use crate::time::Micros;
use mantle_hid::Frame;

/// A value that stays within [`STILL`] of its range for so long is still.
const LASTS: Micros = Micros::millis(500);
const STILL: f32 = 0.04;

/// What has been seen of one control.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Sight {
    /// The lowest and the highest raw value.
    pub range: (i32, i32),
    /// Where it was still for the longest time, and how far it trembled there either way.
    pub rest: Option<(i32, i32)>,
}

#[derive(Clone, Debug)]
struct Watched {
    control: Control,
    sight: Option<(i32, i32)>,
    /// The spell that goes on: since when, lowest, highest.
    spell: (Micros, i32, i32),
    /// The longest of them: how long, lowest, highest.
    longest: (Micros, i32, i32),
}

/// The controls of one part.
#[derive(Clone, Debug)]
pub struct Observed {
    watched: Vec<Watched>,
}

impl Observed {
    /// Looks at a part from now on.
    #[must_use]
    pub fn new(part: &PartLayout) -> Self {
        let watched = part.controls.iter().map(|control| Watched {
            control: control.clone(),
            sight: None,
            spell: (Micros(0), 0, 0),
            longest: (Micros(0), 0, 0),
        });
        Self { watched: watched.collect() }
    }

    /// How everything stands now.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame) {
        for watched in &mut self.watched {
            let raw = match watched.control.place {
                Place::Bit(bit) => i32::from(frame.bit(bit)),
                Place::Value(value) => frame.values.get(usize::from(value)).copied().unwrap_or(0),
            };
            let Some((low, high)) = watched.sight else {
                watched.sight = Some((raw, raw));
                watched.spell = (now, raw, raw);
                continue;
            };
            watched.sight = Some((low.min(raw), high.max(raw)));
            let (since, low, high) = watched.spell;
            let (lower, higher) = (low.min(raw), high.max(raw));
            let span = f64::from(watched.control.max) - f64::from(watched.control.min);
            if f64::from(higher) - f64::from(lower) <= (span * f64::from(STILL)).max(0.0) {
                watched.spell = (since, lower, higher);
            } else {
                watched.end_spell(now);
                watched.spell = (now, raw, raw);
            }
        }
    }

    /// What has been seen until now, control by control.
    #[must_use]
    pub fn sights(&self, now: Micros) -> Vec<Option<Sight>> {
        let of = |watched: &Watched| {
            let range = watched.sight?;
            let mut own = watched.clone();
            own.end_spell(now);
            let (_, low, high) = own.longest;
            let middle = ((i64::from(low) + i64::from(high)) / 2) as i32;
            let noise = ((i64::from(high) - i64::from(low) + 1) / 2) as i32;
            Some(Sight { range, rest: (own.longest.0 >= LASTS).then_some((middle, noise)) })
        };
        self.watched.iter().map(of).collect()
    }
}

impl Watched {
    fn end_spell(&mut self, now: Micros) {
        let (since, low, high) = self.spell;
        let long = now.since(since);
        let (longest, known_low, known_high) = self.longest;
        // Spells at the same place are one rest.
        let same = low <= known_high && high >= known_low && longest > Micros(0);
        if same {
            self.longest = (longest.after(long), known_low.min(low), known_high.max(high));
        } else if long > longest {
            self.longest = (long, low, high);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::control::Layout;
    use mantle_hid::Descriptor;

    /// X and Y of 8 bits.
    const STICK: &[u8] = &[
        0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02,
        0x81, 0x02, 0xc0,
    ];

    #[test]
    fn where_it_is_still_for_longest_is_its_rest() {
        let layout = Layout::new(&Descriptor::parse(STICK).expect("a good descriptor"));
        let (mut frame, mut observed) = (layout.rest, Observed::new(&layout.parts[0]));
        let mut now = Micros(0);
        let mut play = |x: &dyn Fn(u64) -> u8, millis: u64| {
            for step in 0..millis / 8 {
                now = now.after(Micros::millis(8));
                layout.plan.decode(&[x(step), 0x80], &mut frame).expect("a whole report");
                observed.handle_frame(now, &frame);
            }
            observed.sights(now)[0].expect("it was seen")
        };
        let at_first = play(&|step| 124 + (step % 3) as u8, 300);
        assert_eq!((at_first.range, at_first.rest), ((124, 126), None), "too short to say");
        play(&|step| 124 + (step % 3) as u8, 1_000);
        play(&|_| 250, 700);
        let sight = play(&|step| 200u8.saturating_sub(step as u8 * 10), 100);
        assert_eq!(sight, Sight { range: (90, 250), rest: Some((125, 1)) }, "held for a while is no rest");
    }
}
