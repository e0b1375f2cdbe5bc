//! Controls of a sheet that belong together: vectors, touch contacts, the battery.

use super::Sheet;
use crate::control::{Contact, Control, Extras, Sensors, Vector};

/// Three controls that are one vector, turned into the axes of the pad: right, up, towards the player.
#[derive(Clone, PartialEq, Debug)]
pub struct SheetMotion {
    /// Its name.
    pub name: String,
    /// The names of its controls.
    pub of: [String; 3],
    /// Its rows give the pad's axes in terms of those of the device.
    pub rotation: [[f64; 3]; 3],
}

/// Controls that are one touch contact.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetContact {
    /// Its name.
    pub name: String,
    /// The name of the control that says whether something touches there.
    pub touches: String,
    /// The names of the controls that say where: across and down.
    pub at: [String; 2],
}

/// Where to find the battery's state.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SheetBattery {
    /// The name of the control with its charge.
    pub level: String,
    /// The name of the one that says whether it is charging.
    pub charging: Option<String>,
}

/// Finds the controls of a sheet's vectors and contacts.
pub(super) fn find_sensors(extras: &Extras, sheet: &Sheet, controls: &[Control]) -> Sensors {
    let named = |name: &str| controls.iter().find(|control| control.name == name).cloned();
    let scale = |control: &Control| extras.scale(control.number).cloned().unwrap_or_default();
    let vector = |motion: &SheetMotion| {
        let [x, y, z] = [0, 1, 2].map(|axis: usize| named(&motion.of[axis]));
        let of = [x?, y?, z?];
        let scales = [&of[0], &of[1], &of[2]].map(scale);
        Some(Vector { name: motion.name.clone(), of, scales, rotation: motion.rotation })
    };
    let contact = |contact: &SheetContact| {
        let at = [named(&contact.at[0])?, named(&contact.at[1])?];
        Some(Contact { name: contact.name.clone(), touches: named(&contact.touches)?, at })
    };
    Sensors {
        vectors: sheet.motions.iter().filter_map(vector).collect(),
        contacts: sheet.contacts.iter().filter_map(contact).collect(),
    }
}

/// Finds the controls of a sheet's battery.
pub(super) fn find_battery(sheet: &Sheet, controls: &[Control]) -> Option<(Control, Option<Control>)> {
    let named = |name: &str| controls.iter().find(|control| control.name == name).cloned();
    let battery = sheet.battery.as_ref()?;
    Some((named(&battery.level)?, battery.charging.as_deref().and_then(named)))
}
