//! The force-feedback effects that games have uploaded to a pad: which are playing, how strongly together, and until when. For a pad made through
//! uinput the kernel keeps no time: the length of effects is up to the driver, which is this program.

use crate::time::Micros;

/// Effects that a pad holds at the same time.
pub const EFFECTS: usize = 16;

/// How often the strength of a swelling or fading effect is updated.
const STEP: Micros = Micros::millis(20);

/// An effect without a length plays until it is stopped.
const FOREVER: Micros = Micros(u64::MAX);

/// One effect as it was uploaded.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct RumbleEffect {
    /// Strength of the strong motor, 0 to 65535.
    pub strong: u16,
    /// Strength of the weak motor, 0 to 65535.
    pub weak: u16,
    /// How long it plays, in milliseconds; 0 until it is stopped.
    pub length: u16,
    /// How long it waits before it plays, in milliseconds.
    pub delay: u16,
    /// How it swells and fades.
    pub envelope: Envelope,
}

/// How an effect swells at its beginning and fades at its end.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Envelope {
    /// How long it swells, in milliseconds.
    pub attack: u16,
    /// How strong both motors are at its beginning, 0 to 65535.
    pub from: u16,
    /// How long it fades, in milliseconds.
    pub fade: u16,
    /// How strong both motors are at its end, 0 to 65535.
    pub to: u16,
}

impl Envelope {
    /// A motor's strength this many microseconds after the beginning of an effect of that length (0: endless), and whether it differs a moment later;
    /// if not, when it may next differ.
    fn at(&self, strength: u16, since: u64, length: u64) -> (u16, bool, Option<u64>) {
        let [attack, fade] = [self.attack, self.fade].map(|millis| u64::from(millis) * 1_000);
        let between = |one: u16, two: u16, at: u64, span: u64| {
            let (one, two) = (i64::from(one), i64::from(two));
            (one + (two - one) * at as i64 / span as i64) as u16
        };
        let fades = length.checked_sub(fade).filter(|_| fade > 0 && length > 0);
        match fades {
            _ if since < attack => (between(self.from, strength, since, attack), true, None),
            Some(begins) if since >= begins => (between(strength, self.to, since - begins, fade), true, None),
            begins => (strength, false, begins),
        }
    }
}

impl RumbleEffect {
    /// The strengths of both motors for a periodic effect of this magnitude: -32767 to 32767.
    #[must_use]
    pub fn of_magnitude(magnitude: i16) -> [u16; 2] {
        let strength = u32::from(magnitude.unsigned_abs().min(0x7fff)) * 0xffff / 0x7fff;
        [strength as u16; 2]
    }
}

#[derive(Clone, Copy, Debug, Default)]
struct EffectPlace {
    effect: RumbleEffect,
    /// From when until when it plays.
    plays: Option<(Micros, Micros)>,
}

/// All effects of one pad.
#[derive(Clone, Debug)]
pub struct Effects {
    places: [EffectPlace; EFFECTS],
    /// The gain for all of them, of 65535.
    gain: u16,
}

impl Default for Effects {
    fn default() -> Self {
        Self { places: Default::default(), gain: u16::MAX }
    }
}

/// What a device has to do.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Rumble {
    /// Strength of the strong motor, 0 to 65535.
    pub strong: u16,
    /// Strength of the weak motor, 0 to 65535.
    pub weak: u16,
    /// When everything playing will have ended.
    pub until: Micros,
    /// When something begins or ends next, if anything does.
    pub next: Option<Micros>,
}

impl Effects {
    /// An effect is uploaded. One that is playing continues with its new strength, and its new length counts from when it began.
    pub fn upload(&mut self, id: usize, effect: RumbleEffect) {
        let Some(place) = self.places.get_mut(id) else { return };
        place.effect = effect;
        if let Some((from, _)) = place.plays {
            place.plays = Some((from, end(from, effect, 1)));
        }
    }

    /// An effect is erased, and stops.
    pub fn erase(&mut self, id: usize) {
        if let Some(place) = self.places.get_mut(id) {
            *place = EffectPlace::default();
        }
    }

    /// An effect is to be played this many times from now on; 0 stops it.
    pub fn play(&mut self, now: Micros, id: usize, times: i32) {
        let Some(place) = self.places.get_mut(id) else { return };
        place.plays = u64::try_from(times).ok().filter(|times| *times > 0).map(|times| {
            let from = now.after(Micros::millis(place.effect.delay.into()));
            (from, end(from, place.effect, times))
        });
    }

    /// A game sets the gain for all effects, of 65535.
    pub fn set_gain(&mut self, gain: u16) {
        self.gain = gain;
    }

    /// All effects together at a moment: strengths add up to full, then the gain is applied.
    pub fn at(&mut self, now: Micros) -> Rumble {
        let mut out = Rumble { strong: 0, weak: 0, until: now, next: None };
        for place in &mut self.places {
            place.plays = place.plays.filter(|(_, until)| now < *until);
            let Some((from, until)) = place.plays else { continue };
            out.until = out.until.max(until);
            let mut next = |at: Micros| {
                if at != FOREVER {
                    out.next = Some(out.next.map_or(at, |other| other.min(at)));
                }
            };
            if now < from {
                next(from);
                continue;
            }
            let RumbleEffect { strong, weak, length, delay, envelope } = place.effect;
            // Its position within its own time: it is repeated after its delay.
            let [length, delay] = [length, delay].map(|millis| u64::from(millis) * 1_000);
            let (passed, cycle) = (now.since(from).0, length + delay);
            let since = if length == 0 { passed } else { passed % cycle };
            let began = now.before(Micros(since));
            next(until);
            if length != 0 && since >= length {
                next(began.after(Micros(cycle)));
                continue;
            }
            if length != 0 {
                next(began.after(Micros(length)));
            }
            let (strong, moves, later) = envelope.at(strong, since, length);
            let (weak, ..) = envelope.at(weak, since, length);
            if moves {
                next(now.after(STEP));
            } else if let Some(later) = later {
                next(began.after(Micros(later)));
            }
            out.strong = out.strong.saturating_add(strong);
            out.weak = out.weak.saturating_add(weak);
        }
        let of_gain = |motor: u16| (u32::from(motor) * u32::from(self.gain) / 0xffff) as u16;
        (out.strong, out.weak) = (of_gain(out.strong), of_gain(out.weak));
        out
    }
}

/// When an effect ends that is played this many times.
fn end(from: Micros, effect: RumbleEffect, times: u64) -> Micros {
    let (length, delay) = (u64::from(effect.length), u64::from(effect.delay));
    if length == 0 { FOREVER } else { from.after(Micros::millis(length * times + delay * (times - 1))) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn effect(strong: u16, length: u16) -> RumbleEffect {
        RumbleEffect { strong, length, ..RumbleEffect::default() }
    }

    #[test]
    fn an_effect_ends_after_its_own_length() {
        let mut effects = Effects::default();
        effects.upload(0, effect(40_000, 200));
        effects.play(Micros::seconds(1), 0, 1);
        let ends = Micros::millis(1_200);
        let playing = effects.at(Micros::seconds(1));
        assert_eq!(playing, Rumble { strong: 40_000, weak: 0, until: ends, next: Some(ends) });
        assert_eq!(effects.at(ends), Rumble { strong: 0, weak: 0, until: ends, next: None });
    }

    #[test]
    fn two_effects_at_once_end_separately() {
        let mut effects = Effects::default();
        effects.upload(0, effect(40_000, 200));
        effects.upload(1, effect(20_000, 500));
        effects.play(Micros(0), 0, 1);
        effects.play(Micros::millis(100), 1, 1);
        let both = effects.at(Micros::millis(100));
        assert_eq!((both.strong, both.next, both.until), (60_000, Some(Micros::millis(200)), Micros::millis(600)));
        assert_eq!(effects.at(Micros::millis(200)).strong, 20_000);
        // Stopping one does not stop the other.
        effects.play(Micros::millis(250), 0, 0);
        assert_eq!(effects.at(Micros::millis(250)).strong, 20_000);
        assert_eq!(effects.at(Micros::millis(600)).strong, 0);
    }

    #[test]
    fn effects_honour_delay_repeat_and_endless_length() {
        let mut effects = Effects::default();
        effects.upload(2, RumbleEffect { strong: 9, weak: 7, length: 100, delay: 50, ..RumbleEffect::default() });
        effects.play(Micros(0), 2, 2);
        let waits = effects.at(Micros(0));
        assert_eq!((waits.strong, waits.next), (0, Some(Micros::millis(50))));
        assert_eq!(effects.at(Micros::millis(50)).weak, 7);
        assert_eq!(effects.at(Micros::millis(50)).until, Micros::millis(300));
        let rests = effects.at(Micros::millis(150));
        assert_eq!((rests.weak, rests.next), (0, Some(Micros::millis(200))), "it waits again before it is repeated");
        assert_eq!(effects.at(Micros::millis(200)).weak, 7);
        effects.erase(2);
        assert_eq!(effects.at(Micros::millis(60)).strong, 0);
        effects.upload(3, effect(5, 0));
        effects.play(Micros(0), 3, 1);
        let forever = effects.at(Micros::seconds(3_600));
        assert_eq!((forever.strong, forever.next), (5, None));
        effects.play(Micros::seconds(3_600), 3, 0);
        assert_eq!(effects.at(Micros::seconds(3_600)).strong, 0);
    }

    #[test]
    fn gain_scales_every_effect_and_a_wave_drives_both_motors() {
        let mut effects = Effects::default();
        effects.upload(0, effect(40_000, 0));
        effects.upload(1, effect(40_000, 0));
        effects.play(Micros(0), 0, 1);
        effects.play(Micros(0), 1, 1);
        effects.set_gain(0x8000);
        assert_eq!(effects.at(Micros(0)).strong, 0x8000, "half of full, which both together are");
        effects.set_gain(0);
        assert_eq!(effects.at(Micros(0)).strong, 0);
        effects.set_gain(0xffff);
        assert_eq!(effects.at(Micros(0)).strong, 0xffff);
        let of = RumbleEffect::of_magnitude;
        assert_eq!([of(0x7fff), of(-0x7fff), of(i16::MIN), of(0)], [[0xffff; 2], [0xffff; 2], [0xffff; 2], [0; 2]]);
        assert_eq!(of(0x4000)[0], 0x8000);
    }

    #[test]
    fn an_effect_swells_and_fades_in_small_steps() {
        let mut effects = Effects::default();
        let envelope = Envelope { attack: 100, from: 10_000, fade: 200, to: 0 };
        effects.upload(0, RumbleEffect { strong: 30_000, weak: 20_000, length: 1_000, delay: 0, envelope });
        effects.play(Micros(0), 0, 1);
        let at = |effects: &mut Effects, millis: u64| {
            let now = effects.at(Micros::millis(millis));
            (now.strong, now.weak, now.next.map(|next| next.0 / 1_000))
        };
        assert_eq!(at(&mut effects, 0), (10_000, 10_000, Some(20)));
        assert_eq!(at(&mut effects, 50), (20_000, 15_000, Some(70)));
        assert_eq!(at(&mut effects, 100), (30_000, 20_000, Some(800)), "until it fades");
        assert_eq!(at(&mut effects, 900), (15_000, 10_000, Some(920)));
        assert_eq!(at(&mut effects, 990), (1_500, 1_000, Some(1_000)), "its end comes first");
        assert_eq!(at(&mut effects, 1_000), (0, 0, None));
        // Without an end it swells, and stays.
        effects.upload(1, RumbleEffect { strong: 30_000, weak: 0, length: 0, delay: 0, envelope });
        effects.play(Micros(0), 1, 1);
        assert_eq!(at(&mut effects, 2_000), (30_000, 0, None));
    }

    #[test]
    fn strengths_are_capped_and_a_new_upload_updates_the_playing_effect() {
        let mut effects = Effects::default();
        effects.upload(0, effect(60_000, 100));
        effects.upload(1, effect(60_000, 100));
        effects.play(Micros(0), 0, 1);
        effects.play(Micros(0), 1, 1);
        assert_eq!(effects.at(Micros(0)).strong, u16::MAX);
        effects.erase(1);
        effects.upload(0, effect(10, 300));
        assert_eq!((effects.at(Micros(0)).strong, effects.at(Micros(0)).until), (10, Micros::millis(300)));
        // Effects that were never uploaded, or do not exist, do no harm.
        effects.play(Micros(0), 99, 1);
        effects.upload(99, effect(1, 1));
        effects.erase(99);
    }
}
