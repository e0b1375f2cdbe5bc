//! The charge of batteries of devices by radio, as the Bluetooth daemon knows it (`org.bluez.Battery1`), for devices without a power supply of the
//! kernel's.

use crate::{BusFault, on_system};
use std::collections::HashMap;
use zbus::{OwnedObjectPath, OwnedVariant};

const NAME: &str = "org.bluez";
const MANAGER: &str = "org.freedesktop.DBus.ObjectManager";
const DEVICE: &str = "org.bluez.Device1";
const BATTERY: &str = "org.bluez.Battery1";

/// What an object manager reports: the interfaces of each object, and the properties of each.
type Objects = HashMap<OwnedObjectPath, HashMap<String, HashMap<String, OwnedVariant>>>;

/// The address of every device whose battery the daemon knows, and how full that is, 0 to 1. Waits for the answer, but not for longer than 2 s.
///
/// # Errors
/// When there is nobody to ask, in words.
pub fn batteries() -> Result<Vec<(String, f32)>, BusFault> {
    zbus::block_on(async {
        let fault = BusFault::of("the Bluetooth service does not report batteries");
        let daemon = on_system(NAME, "/", MANAGER).await.map_err(&fault)?;
        let objects: Objects = daemon.call("GetManagedObjects", &()).await.map_err(fault)?;
        Ok(objects.values().filter_map(of_device).collect())
    })
}

/// What is known about one object; a charge outside 0 to 100 % counts as unknown.
fn of_device(interfaces: &HashMap<String, HashMap<String, OwnedVariant>>) -> Option<(String, f32)> {
    let address = interfaces.get(DEVICE)?.get("Address")?;
    let address = String::try_from(address.try_clone().ok()?).ok()?;
    let percent = u8::try_from(interfaces.get(BATTERY)?.get("Percentage")?).ok().filter(|percent| *percent <= 100)?;
    Some((address, f32::from(percent) / 100.0))
}
