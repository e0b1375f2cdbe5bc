//! What the daemon knows: its objects with their properties, interpreted as an adapter and as devices.

use crate::blocked::{Block, blocked};
use crate::seen::Seen;
use mantle_core::connecting::{RadioDevice, RadioState};
use mantle_core::visible::visible;
use std::collections::BTreeMap;
use std::collections::HashMap;
use std::path::Path;
use zbus::OwnedVariant;

pub(crate) const ADAPTER: &str = "org.bluez.Adapter1";
pub(crate) const DEVICE: &str = "org.bluez.Device1";
const BATTERY: &str = "org.bluez.Battery1";
/// The end of a service's number if it is one of the 16-bit ones.
const BASE: &str = "-0000-1000-8000-00805f9b34fb";
/// A name is no longer than this.
const LONGEST: usize = 48;
/// Nobody has more objects than this, so a daemon that says so is not believed.
const MOST: usize = 4096;

pub(crate) type Properties = HashMap<String, OwnedVariant>;
pub(crate) type Interfaces = HashMap<String, Properties>;

/// All objects, by their paths.
#[derive(Debug, Default)]
pub(crate) struct Objects {
    all: BTreeMap<String, Interfaces>,
}

fn text(value: Option<&OwnedVariant>) -> Option<String> {
    String::try_from(value?.try_clone().ok()?).ok()
}

fn flag(value: Option<&OwnedVariant>) -> bool {
    value.and_then(|value| bool::try_from(value).ok()).unwrap_or(false)
}

impl Objects {
    pub fn clear(&mut self) {
        self.all.clear();
    }

    /// More is known of an object.
    pub fn add(&mut self, path: &str, interfaces: Interfaces) {
        if self.all.len() < MOST || self.all.contains_key(path) {
            self.all.entry(path.to_owned()).or_default().extend(interfaces);
        }
    }

    /// An object no longer has these interfaces.
    pub fn remove(&mut self, path: &str, interfaces: &[String]) {
        if let Some(known) = self.all.get_mut(path) {
            known.retain(|name, _| !interfaces.contains(name));
            if known.is_empty() {
                self.all.remove(path);
            }
        }
    }

    /// Properties of an object have changed, or are no longer known.
    pub fn change(&mut self, path: &str, interface: &str, changed: Properties, gone: &[String]) {
        // For an object that is not known yet, everything comes with its arrival.
        let Some(known) = self.all.get_mut(path).and_then(|known| known.get_mut(interface)) else { return };
        known.extend(changed);
        known.retain(|name, _| !gone.contains(name));
    }

    /// The adapter that is used: the first that is on, or else the first.
    pub fn adapter(&self) -> Option<&str> {
        let all = || self.all.iter().filter(|(_, known)| known.contains_key(ADAPTER));
        let on = all().find(|(_, known)| flag(known[ADAPTER].get("Powered")));
        on.or_else(|| all().next()).map(|(path, _)| path.as_str())
    }

    /// What the radio can do, if the daemon answers.
    pub fn state(&self, sys: &Path) -> RadioState {
        let block = || blocked(sys).map(|block| RadioState::Blocked { hard: block == Block::Switch });
        match self.adapter() {
            None => block().unwrap_or(RadioState::NoAdapter),
            Some(path) if flag(self.all[path][ADAPTER].get("Powered")) => RadioState::Ready,
            Some(_) => block().unwrap_or(RadioState::Off),
        }
    }

    /// The path of a device, by its address.
    pub fn device(&self, address: &str) -> Option<&str> {
        let adapter = self.adapter()?;
        let of = |known: &Interfaces| text(known.get(DEVICE)?.get("Address")).filter(|own| own == address);
        let found = self.all.iter().find(|(path, known)| path.starts_with(adapter) && of(known).is_some());
        found.map(|(path, _)| path.as_str())
    }

    /// The address of the device with a path.
    pub fn address(&self, path: &str) -> Option<String> {
        text(self.all.get(path)?.get(DEVICE)?.get("Address"))
    }

    /// The name of a device, made safe to show.
    pub fn name(&self, path: &str) -> String {
        let known = self.all.get(path).and_then(|known| known.get(DEVICE));
        let said = |key: &str| text(known?.get(key)).filter(|name| !name.trim().is_empty());
        let address = said("Address").unwrap_or_else(|| "a device without a name".into());
        // Without a name of its own, its alias is its address again.
        let alias = said("Alias").filter(|alias| alias.replace('-', ":") != address);
        let name: String = alias.or_else(|| said("Name")).unwrap_or(address).chars().take(LONGEST).collect();
        visible(&name).into_owned()
    }

    /// Whether a device is paired.
    pub fn is_paired(&self, path: &str) -> bool {
        self.all.get(path).and_then(|known| known.get(DEVICE)).is_some_and(|known| flag(known.get("Paired")))
    }

    /// All devices of the adapter.
    pub fn devices(&self, seen: &Seen) -> Vec<RadioDevice> {
        let Some(adapter) = self.adapter() else { return Vec::new() };
        let of_it =
            self.all.iter().filter(|(path, _)| path.strip_prefix(adapter).is_some_and(|rest| rest.starts_with('/')));
        of_it.filter_map(|(path, known)| self.read(path, known, seen)).collect()
    }

    fn read(&self, path: &str, known: &Interfaces, seen: &Seen) -> Option<RadioDevice> {
        let device = known.get(DEVICE)?;
        let address = text(device.get("Address"))?;
        let services: Vec<String> = device
            .get("UUIDs")
            .and_then(|value| value.try_clone().ok())
            .and_then(|value| Vec::<String>::try_from(value).ok())
            .unwrap_or_default();
        let percent = known.get(BATTERY).and_then(|battery| u8::try_from(battery.get("Percentage")?).ok());
        Some(RadioDevice {
            name: self.name(path),
            class: device.get("Class").and_then(|class| u32::try_from(class).ok()),
            appearance: device.get("Appearance").and_then(|appearance| u16::try_from(appearance).ok()),
            services: services.iter().filter_map(|service| short(service)).take(64).collect(),
            signal: device.get("RSSI").and_then(|signal| i16::try_from(signal).ok()),
            paired: flag(device.get("Paired")),
            trusted: flag(device.get("Trusted")),
            linked: flag(device.get("Connected")),
            battery: percent.filter(|percent| *percent <= 100),
            ids: text(device.get("Modalias")).and_then(|alias| ids(&alias)),
            seen: seen.of(&address),
            address,
        })
    }
}

/// A service's 16-bit number, if it has one.
fn short(service: &str) -> Option<u16> {
    let number = service.to_ascii_lowercase();
    u16::from_str_radix(number.strip_suffix(BASE)?.strip_prefix("0000")?, 16).ok()
}

/// Vendor and product from a modalias such as `usb:v1209p0A07d0100`.
fn ids(alias: &str) -> Option<(u16, u16)> {
    let rest = alias.split_once(":v")?.1;
    let number = |from: usize| u16::from_str_radix(rest.get(from..from + 4)?, 16).ok();
    Some((number(0)?, number(5).filter(|_| rest.as_bytes().get(4) == Some(&b'p'))?))
}

#[cfg(test)]
mod tests {
    use super::*;
    use zbus::Variant;

    fn value(of: Variant<'_>) -> OwnedVariant {
        OwnedVariant::try_from(of).expect("it has no descriptor")
    }

    fn device(properties: Vec<(&str, Variant<'_>)>) -> Interfaces {
        let properties = properties.into_iter().map(|(key, of)| (key.to_owned(), value(of))).collect();
        HashMap::from([(DEVICE.to_owned(), properties)])
    }

    fn adapter(powered: bool) -> Interfaces {
        HashMap::from([(ADAPTER.to_owned(), HashMap::from([("Powered".to_owned(), value(powered.into()))]))])
    }

    #[test]
    fn names_in_any_script_are_shown_safely() {
        let mut objects = Objects::default();
        objects.add("/org/bluez/hci0", adapter(true));
        for (name, shown) in [
            ("Kapitän", "Kapitän"),
            ("灯台", "灯台"),
            ("\u{1b}[2Jdeck", "␛[2Jdeck"),
            ("  ", "02:00:00:00:00:01"),
            ("a\u{202e}b", "a\u{fffd}b"),
        ] {
            let known = device(vec![("Address", "02:00:00:00:00:01".into()), ("Alias", name.into())]);
            objects.add("/org/bluez/hci0/dev_1", known);
            let said = objects.name("/org/bluez/hci0/dev_1");
            assert!(!said.chars().any(char::is_control) && !said.contains('\u{202e}'), "{said:?}");
            if !name.contains(['\u{1b}', '\u{202e}']) {
                assert_eq!(said, shown);
            }
        }
        let long = "x".repeat(5000);
        objects.add(
            "/org/bluez/hci0/dev_1",
            device(vec![("Address", "02:00:00:00:00:01".into()), ("Alias", long.into())]),
        );
        assert_eq!(objects.name("/org/bluez/hci0/dev_1").len(), LONGEST);
    }

    #[test]
    fn values_of_wrong_types_are_refused_without_a_panic() {
        let mut objects = Objects::default();
        objects.add("/org/bluez/hci0", adapter(true));
        let odd = device(vec![
            ("Address", "02:00:00:00:00:01".into()),
            ("Class", "a text".into()),
            ("RSSI", 7u64.into()),
            ("Paired", "yes".into()),
            ("UUIDs", vec!["00001812-0000-1000-8000-00805f9b34fb", "nonsense", ""].into()),
            ("Modalias", "usb:v12".into()),
        ]);
        objects.add("/org/bluez/hci0/dev_1", odd);
        objects.add("/org/bluez/hci0/dev_2", device(vec![("Alias", "no address".into())]));
        let found = objects.devices(&Seen::default());
        assert_eq!(found.len(), 1);
        assert_eq!((found[0].class, found[0].signal, found[0].paired), (None, None, false));
        assert_eq!((found[0].services.as_slice(), found[0].ids), ([0x1812].as_slice(), None));
        assert_eq!(ids("bluetooth:v1209p0A07d0100"), Some((0x1209, 0x0a07)));
        assert_eq!(ids("usb:v1209x0A07"), None);
    }

    #[test]
    fn changes_of_unknown_objects_are_ignored() {
        let mut objects = Objects::default();
        objects.change("/org/bluez/hci0/dev_9", DEVICE, Properties::new(), &[]);
        assert!(objects.devices(&Seen::default()).is_empty());
        objects.add("/org/bluez/hci0", adapter(false));
        objects.add("/org/bluez/hci1", adapter(true));
        assert_eq!(objects.adapter(), Some("/org/bluez/hci1"), "the one that is on");
        // Devices of the other adapter are not offered, since they could not be called.
        objects.add("/org/bluez/hci0/dev_1", device(vec![("Address", "02:00:00:00:00:01".into())]));
        assert!(objects.devices(&Seen::default()).is_empty());
        objects.remove("/org/bluez/hci1", &[ADAPTER.to_owned()]);
        assert_eq!(objects.adapter(), Some("/org/bluez/hci0"));
        assert_eq!(objects.state(Path::new("/nowhere")), RadioState::Off);
        assert_eq!(objects.devices(&Seen::default()).len(), 1);
        objects.remove("/org/bluez/hci0", &[ADAPTER.to_owned()]);
        assert_eq!(objects.state(Path::new("/nowhere")), RadioState::NoAdapter);
    }
}
