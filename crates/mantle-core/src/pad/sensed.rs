//! What a pad's sensors show: rotation, acceleration, and contacts on its surface.

use super::target::PadTarget;
use serde::{Deserialize, Serialize};

/// Contacts of a pad's surface that games are told about.
pub const CONTACTS: usize = 2;
/// The ends of a surface, in whose shares a contact's position is given.
pub const SURFACE: i32 = 65_535;
/// At rest a pad is held up against gravity: this much upwards.
pub const GRAVITY: i32 = 10_000;
/// Rotation this fast counts as full, on the check-off list.
const TURNED: f32 = 180_000.0;

/// Something that touches the surface.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Touch {
    /// A new number for every contact that begins.
    pub id: u8,
    /// From the left and from the top, up to [`SURFACE`].
    pub at: [i32; 2],
}

/// What the sensors show.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Sensed {
    /// How fast it rotates about its axes (right, up, towards the player), in thousandths of a degree per second.
    pub turning: [i32; 3],
    /// How it is accelerated along them, in ten-thousandths of the acceleration of gravity.
    pub acceleration: [i32; 3],
    /// What touches its surface.
    pub touches: [Option<Touch>; CONTACTS],
}

impl Default for Sensed {
    /// It lies still.
    fn default() -> Self {
        Self { turning: [0; 3], acceleration: [0, GRAVITY, 0], touches: [None; CONTACTS] }
    }
}

/// A colour as files write it: `#ff8000`.
#[must_use]
pub fn colour_text([red, green, blue]: [u8; 3]) -> String {
    format!("#{red:02x}{green:02x}{blue:02x}")
}

/// How games have set a pad's lamps.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct GameLamp {
    /// The colour: red, green, blue.
    pub colour: Option<[u8; 3]>,
    /// The player lamps, one bit each.
    pub players: Option<u8>,
}

impl GameLamp {
    /// What is wanted, in words; empty if nothing is.
    #[must_use]
    pub fn words(&self) -> String {
        let colour = self.colour.map(colour_text);
        let players = self.players.map(|lit| {
            let lit: Vec<String> = (0..5).filter(|at| lit >> at & 1 != 0).map(|at| (at + 1).to_string()).collect();
            if lit.is_empty() { "no player lamp".into() } else { format!("player lamps {}", lit.join(" ")) }
        });
        colour.into_iter().chain(players).collect::<Vec<_>>().join(", ")
    }

    /// Something is set; what this does not mention stays.
    pub fn take(&mut self, lamp: Self) {
        self.colour = lamp.colour.or(self.colour);
        self.players = lamp.players.or(self.players);
    }
}

/// One number of what sensors show.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum SensedLane {
    /// Turning about an axis.
    Turning(usize),
    /// Acceleration along an axis.
    Acceleration(usize),
}

impl Sensed {
    /// One of its numbers, in units: degrees per second, or g.
    #[must_use]
    pub fn lane(&self, lane: SensedLane) -> f64 {
        match lane {
            SensedLane::Turning(axis) => f64::from(self.turning[axis % 3]) / 1e3,
            SensedLane::Acceleration(axis) => f64::from(self.acceleration[axis % 3]) / 1e4,
        }
    }

    /// How far its motion is from lying still, 0 to 1: by its speed of rotation, or how far its acceleration is off.
    #[must_use]
    pub fn motion(&self) -> f32 {
        let length = |all: [f32; 3]| all.iter().map(|one| one * one).sum::<f32>().sqrt();
        let turning = length(self.turning.map(|one| one as f32)) / TURNED;
        let off = [0, 1, 2].map(|axis| (self.acceleration[axis] - if axis == 1 { GRAVITY } else { 0 }) as f32);
        turning.max(length(off) / GRAVITY as f32 / 2.0).min(1.0)
    }

    /// How far something played as a whole is from rest, 0 to 1.
    #[must_use]
    pub fn share(&self, target: PadTarget) -> f32 {
        match target {
            PadTarget::Motion => self.motion(),
            PadTarget::Contact(contact) => f32::from(u8::from(self.touches[usize::from(contact) % CONTACTS].is_some())),
            _ => 0.0,
        }
    }

    /// The same with its motion at this share of full: it rotates about the axis that points up.
    #[must_use]
    pub fn turned(share: f32) -> Self {
        Self { turning: [0, (share * TURNED) as i32, 0], ..Self::default() }
    }

    /// Something touches the middle of its surface.
    #[must_use]
    pub fn touched(contact: usize) -> Self {
        let mut sensed = Self::default();
        sensed.touches[contact % CONTACTS] = Some(Touch { id: 1, at: [SURFACE / 2; 2] });
        sensed
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lamp_requests_of_games_are_shown() {
        let words = |colour, players| GameLamp { colour, players }.words();
        assert_eq!(words(None, None), "");
        assert_eq!(words(Some([255, 64, 0]), None), "#ff4000");
        // The sixth bit fades and is no lamp.
        assert_eq!(words(Some([255, 64, 0]), Some(0x24)), "#ff4000, player lamps 3");
        assert_eq!(words(None, Some(0x1b)), "player lamps 1 2 4 5");
        assert_eq!(words(None, Some(0)), "no player lamp");
    }

    #[test]
    fn a_still_sensor_is_at_rest_and_a_turning_one_is_not() {
        assert_eq!(Sensed::default().motion(), 0.0);
        assert!((Sensed::turned(0.5).motion() - 0.5).abs() < 0.001);
        let fallen = Sensed { acceleration: [GRAVITY, 0, 0], ..Sensed::default() };
        assert!(fallen.motion() > 0.7, "it lies on its side");
        assert_eq!(Sensed::touched(1).touches[0], None);
        assert_eq!(fallen.lane(SensedLane::Acceleration(0)), 1.0);
        assert_eq!(Sensed::turned(1.0).lane(SensedLane::Turning(1)), 180.0);
    }
}
