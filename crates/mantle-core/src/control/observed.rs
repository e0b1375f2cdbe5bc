//! Watches controls in use: how far each goes, where it rests, and how noisy it is there.

use super::{Control, PartLayout};
use crate::time::Micros;
use mantle_hid::Frame;

/// A value is still while it stays within this share of its range for a spell of [`SPELL`].
const STILL: f32 = 0.04;
const SPELL: Micros = Micros::millis(200);
/// This long in one place, over all spells, makes a rest.
const LASTS: Micros = Micros::millis(500);
/// Places remembered for one control.
const PLACES: usize = 8;

/// What was seen of one control.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Sight {
    /// The lowest and the highest raw value.
    pub range: (i32, i32),
    /// Where it was still for longest, and its noise there either way.
    pub rest: Option<(i32, i32)>,
}

/// A place where a control was still: for how long, lowest and highest value.
type Place = (Micros, i32, i32);

#[derive(Clone, Debug)]
struct Watched {
    control: Control,
    range: Option<(i32, i32)>,
    /// The current spell: since when, lowest, highest.
    spell: (Micros, i32, i32),
    /// The previous spell, which counts only once the current one has ended still, too: the last spell before a movement is part of it.
    before: Option<Place>,
    /// It has just stopped; the first spell after a movement belongs to the movement.
    arriving: bool,
    places: Vec<Place>,
}

/// The controls of one part.
#[derive(Clone, Debug)]
pub struct Observed {
    watched: Vec<Watched>,
}

impl Observed {
    /// Starts watching a part.
    #[must_use]
    pub fn new(part: &PartLayout) -> Self {
        let watched = part.controls.iter().map(|control| Watched {
            control: control.clone(),
            range: None,
            spell: (Micros(0), 0, 0),
            before: None,
            arriving: false,
            places: Vec::new(),
        });
        Self { watched: watched.collect() }
    }

    /// Handles a frame.
    pub fn handle_frame(&mut self, now: Micros, frame: &Frame) {
        for watched in &mut self.watched {
            let raw = watched.control.raw(frame);
            let Some((low, high)) = watched.range else {
                watched.range = Some((raw, raw));
                watched.spell = (now, raw, raw);
                continue;
            };
            watched.range = Some((low.min(raw), high.max(raw)));
            // A spell in which it starts moving does not count.
            let (since, low, high) = watched.spell;
            if now.since(since) >= SPELL {
                watched.end_spell(now);
                watched.spell = (now, raw, raw);
            } else if watched.within(low.min(raw), high.max(raw)) {
                watched.spell = (since, low.min(raw), high.max(raw));
            } else {
                (watched.spell, watched.before, watched.arriving) = ((now, raw, raw), None, true);
            }
        }
    }

    /// What was seen so far, control by control.
    #[must_use]
    pub fn sights(&self, now: Micros) -> Vec<Option<Sight>> {
        let of = |watched: &Watched| {
            let range = watched.range?;
            // A device that sends nothing is still.
            let mut own = watched.clone();
            if now.since(own.spell.0) >= LASTS {
                own.arriving = false;
                own.end_spell(now);
                own.end_spell(now);
            }
            let longest = own.places.iter().max_by_key(|(long, ..)| *long).filter(|(long, ..)| *long >= LASTS);
            let rest = longest.map(|(_, low, high)| {
                let (low, high) = (i64::from(*low), i64::from(*high));
                (((low + high) / 2) as i32, ((high - low + 1) / 2) as i32)
            });
            Some(Sight { range, rest })
        };
        self.watched.iter().map(of).collect()
    }
}

impl Watched {
    /// Whether that is only noise.
    fn within(&self, low: i32, high: i32) -> bool {
        let span = f64::from(self.control.max) - f64::from(self.control.min);
        f64::from(high) - f64::from(low) <= span * f64::from(STILL)
    }

    fn end_spell(&mut self, now: Micros) {
        let (since, low, high) = self.spell;
        let ended = (now.since(since), low, high);
        if std::mem::take(&mut self.arriving) {
            return;
        }
        let Some((long, low, high)) = self.before.replace(ended) else { return };
        let near =
            self.places.iter().position(|(_, own_low, own_high)| self.within(low.min(*own_low), high.max(*own_high)));
        match near {
            Some(at) => {
                let (own, own_low, own_high) = &mut self.places[at];
                (*own, *own_low, *own_high) = (own.after(long), low.min(*own_low), high.max(*own_high));
            }
            None => {
                if self.places.len() == PLACES {
                    self.places.sort_by_key(|(long, ..)| std::cmp::Reverse(*long));
                    self.places.truncate(PLACES - 1);
                }
                self.places.push((long, low, high));
            }
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
        0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95,
        0x02, 0x81, 0x02, 0xc0,
    ];

    #[test]
    fn the_longest_still_position_is_rest() {
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
        let at_first = play(&|step| 124 + (step % 3) as u8, 600);
        assert_eq!((at_first.range, at_first.rest), ((124, 126), None), "too short to say");
        play(&|step| 124 + (step % 3) as u8, 1_000);
        play(&|_| 250, 700);
        let sight = play(&|step| 250u8.saturating_sub(step as u8), 1_000);
        assert_eq!(
            sight,
            Sight { range: (124, 250), rest: Some((125, 1)) },
            "held for a while, or on its way, is no rest"
        );
    }
}
