//! Sensors of a part: controls that form vectors of motion, or contacts on a surface.

use super::{Control, Extras, Scale};
use mantle_hid::{Frame, Usage, usage};

/// What a vector of motion measures.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Measures {
    /// How fast it turns about each axis.
    Turning,
    /// How it is accelerated along each axis; at rest, held up against gravity.
    Acceleration,
}

impl Measures {
    /// What a unit measures, and how many internal steps make one: thousandths of a degree per second, or ten-thousandths of the
    /// acceleration of gravity. None for any other unit.
    fn of_unit(unit: &str) -> Option<(Self, f64)> {
        const GRAVITY: f64 = 9.806_65;
        match unit.trim().to_ascii_lowercase().as_str() {
            "deg/s" | "°/s" => Some((Self::Turning, 1e3)),
            "rad/s" => Some((Self::Turning, 1e3 * 180.0 / std::f64::consts::PI)),
            "g" => Some((Self::Acceleration, 1e4)),
            "m/s2" | "m/s²" | "m/s^2" => Some((Self::Acceleration, 1e4 / GRAVITY)),
            _ => None,
        }
    }
}

/// Three controls that form a vector, turned into the pad's axes: right, up, towards the player.
#[derive(Clone, PartialEq, Debug)]
pub struct Vector {
    /// Its name.
    pub name: String,
    /// Its controls.
    pub of: [Control; 3],
    /// What each measures.
    pub scales: [Scale; 3],
    /// The pad's axes in terms of the device's, row by row.
    pub rotation: [[f64; 3]; 3],
}

/// The identity: the device's axes are the pad's.
pub const AS_IT_IS: [[f64; 3]; 3] = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];

impl Vector {
    /// The unit of its numbers.
    #[must_use]
    pub fn unit(&self) -> &str {
        &self.scales[0].unit
    }

    /// What it measures, and how many internal steps make a unit: thousandths of a degree per second, or
    /// ten-thousandths of the acceleration of gravity. None if its unit measures no motion.
    #[must_use]
    pub fn measures(&self) -> Option<(Measures, f64)> {
        Measures::of_unit(self.unit())
    }

    /// The vector in its unit and in the pad's axes.
    #[must_use]
    pub fn read(&self, frame: &Frame) -> [f64; 3] {
        let device: [f64; 3] = std::array::from_fn(|axis| self.scales[axis].of(self.of[axis].raw(frame)));
        self.rotation.map(|row| row.iter().zip(device).map(|(factor, value)| factor * value).sum())
    }
}

/// Controls that form a touch contact.
#[derive(Clone, PartialEq, Debug)]
pub struct Contact {
    /// Its name.
    pub name: String,
    /// The control that says whether something is touching.
    pub touches: Control,
    /// The controls for its place: across and down.
    pub at: [Control; 2],
}

impl Contact {
    /// Its place as shares of the surface from the left and the top; none while nothing is touching.
    #[must_use]
    pub fn read(&self, frame: &Frame) -> Option<[f32; 2]> {
        let there = self.touches.raw(frame) > self.touches.min.max(0);
        there.then(|| [&self.at[0], &self.at[1]].map(|axis| axis.share(axis.raw(frame))))
    }
}

/// The sensors of a part.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Sensors {
    /// Its vectors.
    pub vectors: Vec<Vector>,
    /// Its contacts.
    pub contacts: Vec<Contact>,
}

impl Sensors {
    /// Sensors found by usage: the sensor page's acceleration and angular velocity, and the fingers of a surface.
    #[must_use]
    pub fn of(controls: &[Control], extras: &Extras) -> Self {
        let find = |usage: Usage| controls.iter().find(|control| control.usage == usage);
        let scale = |control: &Control| extras.scale(control.number).cloned();
        let vector = |(name, usages): (&str, [Usage; 3])| {
            let [x, y, z] = usages.map(find);
            let (of, [x, y, z]) = ([x?.clone(), y?.clone(), z?.clone()], [scale(x?), scale(y?), scale(z?)]);
            Some(Vector { name: name.into(), of, scales: [x?, y?, z?], rotation: AS_IT_IS })
        };
        let contact = |touches: &Control| {
            let named = |usage: Usage| format!("{} {}", touches.name, usage.name());
            let of = |usage: Usage| controls.iter().find(|own| own.name == named(usage));
            let at = [of(usage::X)?.clone(), of(usage::Y)?.clone()];
            Some(Contact { name: touches.name.clone(), touches: touches.clone(), at })
        };
        let fingers = controls.iter().filter(|one| one.usage == usage::TIP_SWITCH && one.name.starts_with("contact "));
        Self {
            vectors: [("gyro", usage::ANGULAR_VELOCITY), ("accelerometer", usage::ACCELERATION)]
                .into_iter()
                .filter_map(vector)
                .collect(),
            contacts: fingers.filter_map(contact).collect(),
        }
    }

    /// Whether any measures the device's motion.
    #[must_use]
    pub fn move_it(&self) -> bool {
        self.vectors.iter().any(|vector| vector.measures().is_some())
    }
}
