//! The text of the udev rule that covers a device.
//!
//! The exact form matches one unit, by serial and phys. Those come from the device, so anything that
//! udev would read as a pattern or as the end of a string is refused.

use crate::device::Identity;
use std::fmt::Write;

/// A value that cannot stand in a rule.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct RuleError {
    /// Which value.
    pub what: &'static str,
    /// The offending character.
    pub character: char,
}

impl std::fmt::Display for RuleError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "the device's {} has a {:?} in it, which a udev rule would misread", self.what, self.character)
    }
}

impl std::error::Error for RuleError {}

fn plain<'a>(what: &'static str, value: &'a str) -> Result<&'a str, RuleError> {
    match value.chars().find(|c| c.is_control() || "\"\\*?[]|${}%".contains(*c)) {
        Some(character) => Err(RuleError { what, character }),
        None => Ok(value),
    }
}

/// The lines that cover one interface at this place, given by the last part of its path under `/sys`. They keep this interface
/// alone from all accounts but root.
///
/// # Errors
/// [`RuleError`] if the device's serial or phys cannot stand in a rule.
pub fn rule_for(identity: &Identity, place: &str) -> Result<String, RuleError> {
    let uniq = plain("serial number", &identity.uniq)?;
    let phys = plain("physical path", &identity.phys)?;
    let (vendor, product) = (identity.vendor, identity.product);
    let mut out = String::new();
    let ids = format!("ATTRS{{id/vendor}}==\"{vendor:04x}\", ATTRS{{id/product}}==\"{product:04x}\"");
    let mut hides = |which: &str| {
        let _ = writeln!(
            out,
            "SUBSYSTEM==\"input\", {which}, MODE=\"0000\", GROUP=\"root\", TAG-=\"uaccess\", \
             ENV{{ID_INPUT_JOYSTICK}}=\"\", ENV{{ID_INPUT}}=\"\""
        );
    };
    hides(&format!("ATTRS{{uniq}}==\"{uniq}\", ATTRS{{phys}}==\"{phys}\", {ids}"));
    // Some drivers give their input devices no physical path; then the serial number decides, or the place under `/sys`.
    let stands = plain("place", place)?;
    match uniq {
        "" if stands.is_empty() => {}
        "" => hides(&format!("ATTRS{{phys}}==\"\", {ids}, DEVPATH==\"*/{stands}/*\"")),
        uniq => hides(&format!("ATTRS{{uniq}}==\"{uniq}\", ATTRS{{phys}}==\"\", {ids}")),
    }
    let _ = writeln!(out, "SUBSYSTEM==\"hidraw\", IMPORT{{parent}}=\"HID_*\"");
    let _ = writeln!(
        out,
        "SUBSYSTEM==\"hidraw\", ENV{{HID_UNIQ}}==\"{uniq}\", ENV{{HID_PHYS}}==\"{phys}\", \
         KERNELS==\"{:04X}:{vendor:04X}:{product:04X}.*\", MODE=\"0000\", GROUP=\"root\", TAG-=\"uaccess\"",
        identity.bus.0
    );
    Ok(out)
}

/// A whole rules file for these interfaces.
///
/// # Errors
/// As [`rule_for`], for the first interface that cannot be covered.
pub fn rule_file<'a>(interfaces: impl IntoIterator<Item = (&'a Identity, &'a str)>) -> Result<String, RuleError> {
    let mut out = String::from(
        "# Written by placid-mantle while it runs; covers the devices that it reads.\n\
         # Undo: placid-mantle uncover --all\n\
         ACTION==\"remove\", GOTO=\"placid_mantle_end\"\n",
    );
    for (identity, place) in interfaces {
        out.push_str(&rule_for(identity, place)?);
    }
    out.push_str("LABEL=\"placid_mantle_end\"\n");
    Ok(out)
}

/// The kernel driver through which games make a separate common pad rumble.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct RumbleDriver<'a> {
    /// Its name.
    pub name: &'a str,
    /// The module alias that loads it.
    pub alias: &'a str,
}

/// The rule that lets the active local user make pads and read these devices (vendor and product). The driver learns about common
/// pads; without a driver, separate common pads cannot rumble.
///
/// The file's number must be below 73, where the login manager's rules hand out what is tagged here.
#[must_use]
pub fn setup_rule(devices: &[(u16, u16)], driver: Option<RumbleDriver<'_>>) -> String {
    let mut out = String::from(
        "# Written by placid-mantle setup. Undo: placid-mantle setup --undo\n\
         KERNEL==\"uinput\", SUBSYSTEM==\"misc\", TAG+=\"uaccess\", OPTIONS+=\"static_node=uinput\"\n\
         # Motion pads, and the reports of those of ours alone: games read their sensors there.\n\
         KERNEL==\"uhid\", SUBSYSTEM==\"misc\", TAG+=\"uaccess\", OPTIONS+=\"static_node=uhid\"\n\
         SUBSYSTEM==\"hidraw\", DEVPATH==\"*/misc/uhid/*\", IMPORT{parent}=\"HID_*\"\n\
         SUBSYSTEM==\"hidraw\", DEVPATH==\"*/misc/uhid/*\", ENV{HID_PHYS}==\"placid-mantle/*\", \
         ENV{HID_ID}!=\"0003:0000045E:0000028E\", TAG+=\"uaccess\"\n",
    );
    if let Some(RumbleDriver { name, alias }) = driver {
        let _ = write!(
            out,
            "# Common pads that are devices of their own: the driver by which games shake them is told of their ids.\n\
             KERNEL==\"uhid\", SUBSYSTEM==\"misc\", RUN{{builtin}}+=\"kmod load {alias}\"\n\
             ACTION==\"add\", SUBSYSTEM==\"drivers\", DEVPATH==\"/bus/hid/drivers/{name}\", \
             ATTR{{new_id}}=\"0003 045e 028e 80\"\n"
        );
    }
    for (vendor, product) in devices {
        let device = format!("KERNELS==\"*:{vendor:04X}:{product:04X}.*\"");
        let _ = writeln!(out, "SUBSYSTEM==\"hidraw\", {device}, TAG+=\"uaccess\"");
        // A keyboard is read and held by its event nodes, so that what plays is not typed as well; a controller's are handed out anyway.
        let _ = writeln!(out, "SUBSYSTEM==\"input\", KERNEL==\"event*\", {device}, TAG+=\"uaccess\"");
        // Lamps are files owned by root, and tags do not apply to files.
        let open = ["brightness", "multi_intensity"].map(|file| format!("RUN+=\"/bin/chmod a+w %S%p/{file}\""));
        let _ = writeln!(out, "ACTION==\"add\", SUBSYSTEM==\"leds\", {device}, {}", open.join(", "));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::Bus;

    fn unit(uniq: &str) -> Identity {
        Identity {
            bus: Bus::USB,
            vendor: 0x1209,
            product: 0xa1,
            uniq: uniq.into(),
            phys: "usb-dummy_hcd.0-1/input0".into(),
            ..Identity::default()
        }
    }

    #[test]
    fn the_rule_names_one_unit() {
        let text = rule_file([(&unit("T-1"), "")]).expect("plain values");
        assert!(text.contains("ATTRS{uniq}==\"T-1\", ATTRS{phys}==\"usb-dummy_hcd.0-1/input0\""), "{text}");
        assert!(text.contains("KERNELS==\"0003:1209:00A1.*\""), "{text}");
        // Also for a driver that reports no path.
        assert!(text.contains("ATTRS{uniq}==\"T-1\", ATTRS{phys}==\"\", ATTRS{id/vendor}==\"1209\""), "{text}");
        let text = rule_file([(&unit(""), "0003:1209:00A1.0007")]).expect("plain values");
        assert!(
            text.contains("ATTRS{phys}==\"\", ") && text.contains("DEVPATH==\"*/0003:1209:00A1.0007/*\""),
            "{text}"
        );
        let text = rule_file([(&unit("T-1"), "")]).expect("plain values");
        assert!(text.ends_with("LABEL=\"placid_mantle_end\"\n"));
    }

    #[test]
    fn the_setup_rule_names_each_model() {
        let driver = RumbleDriver { name: "tide", alias: "hid:b1" };
        let text = setup_rule(&[(0x1209, 0xa1)], Some(driver));
        assert!(text.contains("RUN{builtin}+=\"kmod load hid:b1\"\n"), "{text}");
        assert!(text.contains("DEVPATH==\"/bus/hid/drivers/tide\", ATTR{new_id}=\"0003 045e 028e 80\"\n"), "{text}");
        assert!(!setup_rule(&[], None).contains("new_id"));
        assert!(text.contains("KERNELS==\"*:1209:00A1.*\", TAG+=\"uaccess\""), "{text}");
        assert!(
            text.contains("SUBSYSTEM==\"leds\", KERNELS==\"*:1209:00A1.*\", RUN+=\"/bin/chmod a+w %S%p/brightness\""),
            "{text}"
        );
        assert!(text.contains("static_node=uinput") && text.contains("static_node=uhid"));
        let hidraw: Vec<&str> = text.lines().filter(|line| line.starts_with("SUBSYSTEM==\"hidraw\"")).collect();
        // An imported value counts from the next rule on.
        assert!(hidraw.len() == 3 && hidraw[0].contains("IMPORT{parent}=\"HID_*\""), "{hidraw:?}");
        assert!(hidraw[1].contains("ENV{HID_PHYS}==\"placid-mantle/*\""), "{hidraw:?}");
    }

    #[test]
    fn values_that_would_break_a_rule_are_refused() {
        for bad in ["a\"b", "a*", "a?", "[x]", "a|b", "$x", "%k", "a\nb", "a\\"] {
            assert!(rule_for(&unit(bad), "").is_err(), "{bad:?}");
        }
    }
}
