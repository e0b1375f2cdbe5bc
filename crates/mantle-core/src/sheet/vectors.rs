//! Controls of a sheet that belong together: vectors, touch contacts, the battery.

use super::Sheet;
use crate::control::{Control, Extras};

/// Three controls that are one vector, turned into the axes of the pad: right, up, towards the player.
#[derive(Clone, PartialEq, Debug)]
pub struct SheetMotion {
    /// Its name.
    pub name: String,
    /// The names of its controls.
    pub of: [String; 3],
    /// Its rows give the pad's axes by those of the device.
    pub rotation: [[f64; 3]; 3],
}

/// Controls that are one touch contact.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetContact {
    /// Its name.
    pub name: String,
    /// The name of the control that tells whether something touches there.
    pub touches: String,
    /// The names of the controls that tell where: across and down.
    pub at: [String; 2],
}

/// Where the battery's state stands.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetBattery {
    /// The name of the control that tells how full it is.
    pub level: String,
    /// The name of the one that tells whether it charges.
    pub charging: Option<String>,
}

/// Finds the controls that a sheet's vectors and its battery are made of.
pub(super) fn find_extras(extras: &mut Extras, sheet: &Sheet, controls: &[Control]) {
    let named = |name: &str| controls.iter().find(|control| control.name == name).cloned();
    for motion in &sheet.motions {
        if let [Some(x), Some(y), Some(z)] = [0, 1, 2].map(|axis: usize| named(&motion.of[axis])) {
            extras.motions.push((motion.name.clone(), [x, y, z], motion.rotation));
        }
    }
    for contact in &sheet.contacts {
        let found = (named(&contact.touches), named(&contact.at[0]), named(&contact.at[1]));
        if let (Some(touches), Some(x), Some(y)) = found {
            extras.contacts.push((contact.name.clone(), touches, [x, y]));
        }
    }
    if let Some(battery) = &sheet.battery {
        let charging = battery.charging.as_deref().and_then(named);
        extras.battery = named(&battery.level).map(|level| (level, charging));
    }
}
