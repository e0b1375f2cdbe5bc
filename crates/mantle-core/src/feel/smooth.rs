//! Smoothing: a change comes through gradually. That costs time, so it is off unless somebody asks for it.

use crate::time::Micros;

/// Until a change has come through completely, it continues in steps of this.
const STEP: Micros = Micros::millis(4);
/// Closer than this to its goal, it has arrived: half a step of 16 bits.
pub const SETTLES: f32 = 0.5 / 32768.0;

/// Smooths lanes. A pure function of the stamps: needless looks change nothing but when steps happen.
#[derive(Clone, Debug)]
pub struct Smooth<const LANES: usize> {
    /// The time of each lane; 0 if it is not smoothed.
    times: [f32; LANES],
    at: [f32; LANES],
    to: [f32; LANES],
    now: Micros,
    due: Option<Micros>,
}

impl<const LANES: usize> Smooth<LANES> {
    /// With the time of each lane; none if no lane is smoothed.
    #[must_use]
    pub fn new(times: [Micros; LANES]) -> Option<Self> {
        let times = times.map(|time| time.0 as f32);
        let (at, to) = ([0.0; LANES], [0.0; LANES]);
        times.iter().any(|time| *time > 0.0).then_some(Self { times, at, to, now: Micros(0), due: None })
    }

    /// When it wants to go on.
    #[must_use]
    pub fn deadline(&self) -> Option<Micros> {
        self.due
    }

    /// Where the lanes are at a time, if these are their goals from then on.
    pub fn handle_lanes(&mut self, now: Micros, lanes: &[f32; LANES]) -> [f32; LANES] {
        let passed = now.since(self.now).0 as f32;
        // The previous goals applied until now.
        for (at, (to, time)) in self.at.iter_mut().zip(self.to.iter().zip(self.times)) {
            let left = if time > 0.0 { (-passed / time).exp() } else { 0.0 };
            let off = (*at - *to) * left;
            *at = if off.abs() < SETTLES { *to } else { *to + off };
        }
        (self.now, self.to) = (now, *lanes);
        let mut out = *lanes;
        let mut moves = false;
        for (lane, time) in self.times.into_iter().enumerate() {
            if time > 0.0 {
                out[lane] = self.at[lane];
                moves |= self.at[lane] != self.to[lane];
            } else {
                self.at[lane] = self.to[lane];
            }
        }
        self.due = moves.then(|| now.after(STEP));
        out
    }

    /// Everything is at rest at once: a release is not smoothed.
    pub fn release(&mut self) {
        (self.at, self.to, self.due) = ([0.0; LANES], [0.0; LANES], None);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_change_mostly_arrives_within_the_set_time_and_fully_in_the_end() {
        let mut times = [Micros(0); 8];
        times[0] = Micros::millis(40);
        let mut smooth = Smooth::new(times).expect("it is asked for");
        let full = [1.0; 8];
        let first = smooth.handle_lanes(Micros::millis(100), &full);
        assert_eq!((first[0], first[2]), (0.0, 1.0), "the right stick is not smoothed");
        let mut now = Micros::millis(100);
        let mut after_its_time = 0.0;
        while let Some(due) = smooth.deadline() {
            assert_eq!(due, now.after(STEP));
            now = due;
            let lanes = smooth.handle_lanes(now, &full);
            if now == Micros::millis(140) {
                after_its_time = lanes[0];
            }
        }
        assert!((0.62..0.64).contains(&after_its_time), "{after_its_time}");
        assert_eq!(smooth.handle_lanes(now, &full)[0], 1.0);
        assert!(now < Micros::millis(700), "{now:?}");
        smooth.release();
        assert_eq!((smooth.handle_lanes(now, &[0.0; 8])[0], smooth.deadline()), (0.0, None));
    }

    #[test]
    fn zero_smoothing_changes_nothing() {
        assert!(Smooth::new([Micros(0); 12]).is_none());
    }
}
