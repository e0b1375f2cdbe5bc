//! Readiness: what on this machine stands in the way of play, from given facts; what mends it, and what that would change.

use crate::path::PadFault;
use serde::{Deserialize, Serialize};

/// The state of the rule that `setup` installs.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub enum RuleFile {
    /// As this program writes it.
    #[default]
    Fine,
    /// There is none.
    Missing,
    /// An earlier version wrote it.
    Older,
    /// It is where it has no effect: its number is too high, or its directory is not read.
    Elsewhere(String),
}

/// A controller that is connected.
#[derive(Clone, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
pub struct ReadyDevice {
    /// Its name.
    pub name: String,
    /// Vendor and product.
    pub ids: (u16, u16),
    /// The node that it is read by.
    pub node: String,
    /// This account may not read it.
    pub denied: bool,
    /// We have hidden it ourselves, and whoever hides it hands it out.
    pub hidden: bool,
    /// The file showing that the system suspends it while nothing comes, if it does.
    pub sleeps: Option<String>,
}

/// Measurements of a device that plays, as far as they exceed somebody's limits.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct ReadyLink {
    /// Its name.
    pub name: String,
    /// The node that it is read by.
    pub node: String,
    /// It sends this few reports per second.
    pub slow: Option<f32>,
    /// This share of a steady stream has not come within the last minute.
    pub lost: Option<f32>,
    /// How often reports came faster than they could be read.
    pub overruns: u64,
    /// Its battery is down to this share, and is not charging.
    pub battery: Option<f32>,
    /// What is known to delay it, each with what can be done about it.
    pub causes: Vec<String>,
}

/// Represents a fine result as nothing, for formats without a unit.
mod fault_if_any {
    use crate::path::PadFault;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    pub fn serialize<S: Serializer>(result: &Result<(), PadFault>, to: S) -> Result<S::Ok, S::Error> {
        result.as_ref().err().serialize(to)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Result<(), PadFault>, D::Error> {
        Ok(Option::deserialize(from)?.map_or(Ok(()), Err))
    }
}

/// What is known of the machine.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(default)]
pub struct ReadyFacts {
    /// Whether pads can be made.
    #[serde(with = "fault_if_any")]
    pub pads: Result<(), PadFault>,
    /// Whether pads can be separate devices.
    #[serde(with = "fault_if_any")]
    pub apart: Result<(), PadFault>,
    /// Whether udev runs; without it, rules have no effect.
    pub udev: bool,
    /// The rule.
    pub rule: RuleFile,
    /// This account is root.
    pub root: bool,
    /// A group that this account was added to since it logged in, and that would open `/dev/uinput` or a controller.
    pub group: Option<String>,
    /// An engine of another account runs: its process, and that account.
    pub engine: Option<(i32, String)>,
    /// The controllers.
    pub devices: Vec<ReadyDevice>,
    /// Programs that read a controller and make pads, by name and number, each with the controller's name.
    pub translators: Vec<(String, String)>,
    /// Whether the helper could be installed here, but is not.
    pub helper_missing: bool,
    /// Whether this account can give a game a `/dev` of its own.
    pub namespaces: bool,
    /// What the running engine measured during play.
    pub links: Vec<ReadyLink>,
}

impl Default for ReadyFacts {
    /// A machine on which nothing stands in the way.
    fn default() -> Self {
        Self {
            pads: Ok(()),
            apart: Ok(()),
            udev: true,
            rule: RuleFile::Fine,
            root: false,
            group: None,
            engine: None,
            devices: Vec::new(),
            translators: Vec::new(),
            helper_missing: false,
            namespaces: true,
            links: Vec::new(),
        }
    }
}

/// What carries a remedy out.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub enum Remedy {
    /// `setup`, for these devices, with or without the helper.
    Setup {
        /// Vendor and product of each.
        devices: Vec<(u16, u16)>,
        /// Whether the helper is installed too.
        helper: bool,
    },
    /// A module is loaded.
    Module(String),
    /// A file that stands in the way is removed, and `setup` writes its own.
    Replace(String),
    /// A device is kept awake, through this file.
    KeepAwake(String),
    /// Nothing that this program could do.
    Person,
}

/// Something that stands in the way of play.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Obstacle {
    /// What it is about: one word that scripts can go by, with the device or program if there are several.
    pub key: String,
    /// What it is.
    pub what: String,
    /// Why it matters for play.
    pub why: String,
    /// What mends it.
    pub remedy: String,
    /// What carries that out.
    pub mend: Remedy,
    /// What it would change.
    pub changes: String,
}

impl Obstacle {
    /// Whether this program can carry out the remedy.
    #[must_use]
    pub fn can_be_mended(&self) -> bool {
        self.mend != Remedy::Person
    }
}

const BY_SETUP: &str =
    "udev's rules in /etc/udev/rules.d, and which modules are loaded at boot; placid-mantle setup --undo reverts it";

fn obstacle(key: &str, what: String, why: &str, remedy: String, mend: Remedy, changes: &str) -> Obstacle {
    Obstacle { key: key.into(), what, why: why.into(), remedy, mend, changes: changes.into() }
}

/// What stands in the way, the gravest first; nothing that does not matter for play.
#[must_use]
pub fn obstacles(facts: &ReadyFacts) -> Vec<Obstacle> {
    let mut found = Vec::new();
    found.extend(facts.pads.as_ref().err().map(|fault| of_pads("uinput", fault, facts)));
    if let Some((pid, account)) = &facts.engine {
        found.push(obstacle(
            "engine",
            format!("another placid-mantle runs (process {pid}, account {account})"),
            "only one can run at a time: that one has the devices, and games see its pads",
            "end that one, or put its session in the background; then this one plays".into(),
            Remedy::Person,
            "",
        ));
    }
    for (program, device) in &facts.translators {
        found.push(obstacle(
            &format!("translator {program}"),
            format!("the program {program} reads {device}, and makes pads"),
            "a game sees a second pad for the same device, and every press twice",
            format!("close {program}, or take {device} out of it"),
            Remedy::Person,
            "",
        ));
    }
    of_rights(facts, &mut found);
    found.extend(of_rule(facts));
    for device in &facts.devices {
        if let Some(file) = &device.sleeps {
            found.push(obstacle(
                &format!("asleep {}", device.node),
                format!("the system puts {} to sleep whenever it is idle for a moment", device.name),
                "its next press is then late, or lost",
                format!("run echo on | sudo tee {file}"),
                Remedy::KeepAwake(file.clone()),
                "only that file, until it is plugged in again; it uses a little more power",
            ));
        }
    }
    facts.links.iter().for_each(|link| of_link(link, &mut found));
    found.extend(facts.apart.as_ref().err().filter(|_| facts.pads.is_ok()).map(|fault| of_pads("uhid", fault, facts)));
    if facts.helper_missing && !facts.root {
        found.push(obstacle(
            "helper",
            "devices that play can only be held, not hidden".into(),
            "games still list them, as dead pads, and may take one for player one",
            "run this once: sudo placid-mantle setup --install --helper".into(),
            Remedy::Setup { devices: Vec::new(), helper: true },
            "a small program in /usr/local/lib/placid-mantle, started by a socket; placid-mantle setup --undo removes it",
        ));
        // If devices are hidden, no game needs a `/dev` of its own.
        if !facts.namespaces {
            found.push(obstacle(
                "namespaces",
                "this account may not create namespaces, so games cannot get their own /dev (play --private)".into(),
                "that is the other way to show a game only our pads",
                "an administrator can allow it with kernel.unprivileged_userns_clone, user.max_user_namespaces or an AppArmor rule, or install the helper".into(),
                Remedy::Person,
                "",
            ));
        }
    }
    found
}

/// If a device's way is as it should be.
const NO_CAUSE: &str = "no cause is known on this computer; try a cable, another port, or another mode of the device";

/// Measurements of a device that plays.
fn of_link(link: &ReadyLink, found: &mut Vec<Obstacle>) {
    let ReadyLink { name, node, .. } = link;
    let by_person = |key: &str, what: String, why: &str, remedy: String| {
        obstacle(&format!("{key} {node}"), what, why, remedy, Remedy::Person, "")
    };
    let causes = match link.causes.as_slice() {
        [] => NO_CAUSE.to_owned(),
        causes => causes.join(" "),
    };
    if let Some(rate) = link.slow {
        found.push(by_person(
            "slow",
            format!("{name} sends only {rate:.0} reports per second, as measured"),
            "a press waits for the next one",
            causes.clone(),
        ));
    }
    if let Some(share) = link.lost {
        found.push(by_person(
            "lost",
            format!("{name} lost {:.0} % of its reports within the last minute", share * 100.0),
            "short presses are missed, and movement jumps",
            causes,
        ));
    }
    if link.overruns > 0 {
        let times = if link.overruns == 1 { "once".to_owned() } else { format!("{} times", link.overruns) };
        found.push(by_person(
            "overrun",
            format!("reports of {name} came faster than they could be read, {times} since it was plugged in"),
            "some were lost; its state was read again",
            "close what keeps this machine busy; with real-time priority the engine does not have to wait (placid-mantle status says whether it has it)".into(),
        ));
    }
    if let Some(share) = link.battery {
        found.push(by_person(
            "battery",
            format!("the battery of {name} is at {:.0} %", share * 100.0),
            "it may switch off during play",
            "charge it, or play with a cable".into(),
        ));
    }
}

fn of_pads(key: &str, fault: &PadFault, facts: &ReadyFacts) -> Obstacle {
    let (mend, changes) = match fault {
        // If it is denied, the session may simply be too old.
        PadFault::Denied | PadFault::HidDenied if facts.udev && facts.group.is_none() => {
            (Remedy::Setup { devices: Vec::new(), helper: false }, BY_SETUP)
        }
        PadFault::NoNode => (Remedy::Module("uinput".into()), "the module uinput is loaded, until the next boot"),
        PadFault::NoHidNode => (Remedy::Module("uhid".into()), "the module uhid is loaded, until the next boot"),
        _ => (Remedy::Person, ""),
    };
    let why = match key {
        "uinput" => "without it there are no pads, so games see nothing",
        _ => "without it there are no motion pads, and no pads that are devices of their own",
    };
    obstacle(key, fault.cause(), why, fault.remedy().into(), mend, changes)
}

fn of_rights(facts: &ReadyFacts, found: &mut Vec<Obstacle>) {
    let denied: Vec<&ReadyDevice> = facts.devices.iter().filter(|device| device.denied && !device.hidden).collect();
    if denied.is_empty() && facts.pads != Err(PadFault::Denied) {
        return;
    }
    if let Some(group) = &facts.group {
        found.push(obstacle(
            "group",
            format!("this account joined the group {group} after it logged in, which takes effect at the next login"),
            "until then it may not open that group's devices",
            "log in again".into(),
            Remedy::Person,
            "",
        ));
        return;
    }
    for device in denied {
        let (vendor, product) = device.ids;
        let ids = format!("{vendor:04x}:{product:04x}");
        let (mend, changes) = match facts.udev {
            true => (Remedy::Setup { devices: vec![device.ids], helper: false }, BY_SETUP),
            false => (Remedy::Person, ""),
        };
        found.push(obstacle(
            &format!("denied {}", device.node),
            format!("this account may not read {} ({})", device.name, device.node),
            "its presses reach neither this program nor any game",
            format!("run sudo placid-mantle setup --install {ids}, then plug it in again"),
            mend,
            changes,
        ));
    }
}

fn of_rule(facts: &ReadyFacts) -> Option<Obstacle> {
    if !facts.udev || facts.root {
        return None;
    }
    let why = "it does not give the person at this machine any access";
    let again = "run sudo placid-mantle setup --install";
    match &facts.rule {
        RuleFile::Fine => None,
        // What is missing is said by what cannot be opened.
        RuleFile::Missing => None,
        RuleFile::Older => Some(obstacle(
            "rule",
            "the udev rule was written by an earlier version".into(),
            "it lacks access that this version needs",
            again.into(),
            Remedy::Setup { devices: Vec::new(), helper: false },
            BY_SETUP,
        )),
        RuleFile::Elsewhere(path) => Some(obstacle(
            "rule",
            format!("{path} has no effect there: its number has to be under 73, in /etc/udev/rules.d"),
            why,
            format!("run sudo rm {path}, then sudo placid-mantle setup --install"),
            Remedy::Replace(path.clone()),
            "that file, and udev's rules in /etc/udev/rules.d",
        )),
    }
}

#[cfg(test)]
mod tests;
