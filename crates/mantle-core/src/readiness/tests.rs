use super::*;
use crate::device::OsFault;
use proptest::prelude::*;

fn keys(facts: &ReadyFacts) -> Vec<String> {
    obstacles(facts).into_iter().map(|finding| finding.key).collect()
}

fn device(name: &str) -> ReadyDevice {
    ReadyDevice { name: name.into(), node: format!("/dev/{name}"), ids: (0x1209, 0xa01), ..ReadyDevice::default() }
}

#[test]
fn a_ready_machine_has_no_findings() {
    assert!(obstacles(&ReadyFacts::default()).is_empty());
    let devices = vec![device("a"), ReadyDevice { denied: true, hidden: true, ..device("b") }];
    // What we have hidden ourselves is denied to everybody, and is no finding.
    assert!(obstacles(&ReadyFacts { devices, ..ReadyFacts::default() }).is_empty());
    // Whatever belongs to root needs no rule and no helper.
    let root = ReadyFacts { root: true, helper_missing: true, rule: RuleFile::Older, ..ReadyFacts::default() };
    assert!(obstacles(&root).is_empty());
}

#[test]
fn each_gap_is_found_once_at_its_cause() {
    let closed = ReadyFacts {
        pads: Err(PadFault::Denied),
        devices: vec![ReadyDevice { denied: true, ..device("a") }],
        ..ReadyFacts::default()
    };
    assert_eq!(keys(&closed), ["uinput", "denied /dev/a"]);
    assert!(obstacles(&closed).iter().all(Obstacle::can_be_mended));
    // A login that is too old explains both, and nothing has to be installed.
    let old = ReadyFacts { group: Some("input".into()), ..closed.clone() };
    assert_eq!(keys(&old), ["uinput", "group"]);
    assert!(!obstacles(&old).iter().any(Obstacle::can_be_mended));
    // Without udev, a rule would have no effect.
    let bare = ReadyFacts { udev: false, ..closed };
    assert!(!obstacles(&bare).iter().any(Obstacle::can_be_mended));
    // Without any pad, it does not matter whether one could be a separate device.
    let none = ReadyFacts { pads: Err(PadFault::NoNode), apart: Err(PadFault::NoHidNode), ..ReadyFacts::default() };
    assert_eq!(keys(&none), ["uinput"]);
    let other = OsFault { operation: "open".into(), path: "/dev/uinput".into(), errno: 5 };
    let odd = ReadyFacts { pads: Err(PadFault::Other(other)), ..ReadyFacts::default() };
    assert!(!obstacles(&odd)[0].can_be_mended() && obstacles(&odd)[0].what.contains("EIO"));
}

#[test]
fn other_programs_using_a_device_are_named() {
    let facts = ReadyFacts {
        engine: Some((812, "wren".into())),
        translators: vec![("mirror (640)".into(), "Quay pad".into())],
        ..ReadyFacts::default()
    };
    let found = obstacles(&facts);
    assert!(found[0].what.contains("process 812, account wren"), "{found:?}");
    assert!(found[1].what == "the program mirror (640) reads Quay pad, and makes pads", "{found:?}");
}

#[test]
fn measured_findings_carry_their_background() {
    let link = ReadyLink { name: "Quay pad".into(), node: "/dev/hidraw3".into(), ..ReadyLink::default() };
    let of = |link: ReadyLink| obstacles(&ReadyFacts { links: vec![link], ..ReadyFacts::default() });
    assert!(of(link.clone()).is_empty());
    let causes = vec!["It is plugged in behind a hub.".to_owned()];
    let all =
        ReadyLink { slow: Some(61.7), lost: Some(0.051), overruns: 2, battery: Some(0.14), causes, ..link.clone() };
    let found = of(all);
    let what: Vec<(&str, &str)> = found.iter().map(|one| (one.key.as_str(), one.what.as_str())).collect();
    assert_eq!(
        what,
        [
            ("slow /dev/hidraw3", "Quay pad sends only 62 reports per second, as measured"),
            ("lost /dev/hidraw3", "Quay pad lost 5 % of its reports within the last minute"),
            (
                "overrun /dev/hidraw3",
                "reports of Quay pad came faster than they could be read, 2 times since it was plugged in"
            ),
            ("battery /dev/hidraw3", "the battery of Quay pad is at 14 %"),
        ]
    );
    assert_eq!(found[0].remedy, "It is plugged in behind a hub.");
    assert!(of(ReadyLink { slow: Some(61.7), ..link })[0].remedy.starts_with("no cause is known on this computer"));
    // One way for games to see only our pads is enough.
    let shut = ReadyFacts { namespaces: false, ..ReadyFacts::default() };
    assert!(obstacles(&shut).is_empty());
    assert_eq!(keys(&ReadyFacts { helper_missing: true, ..shut }), ["helper", "namespaces"]);
}

proptest! {
    /// Each cause by itself: found if it is there, whatever else is; each finding says what, why and what to do, and no two are the same.
    #[test]
    fn each_cause_is_found_in_isolation(bits in any::<u16>(), rule in 0..4u8, devices in prop::collection::vec((any::<bool>(), any::<bool>(), any::<bool>()), 0..4)) {
        let bit = |n: u32| bits >> n & 1 != 0;
        let facts = ReadyFacts {
            pads: match bits >> 8 & 3 { 0 => Err(PadFault::NoNode), 1 => Err(PadFault::Denied), _ => Ok(()) },
            apart: if bit(1) { Err(PadFault::HidDenied) } else { Ok(()) },
            udev: bit(2),
            rule: [RuleFile::Fine, RuleFile::Missing, RuleFile::Older, RuleFile::Elsewhere("/etc/udev/rules.d/99-x.rules".into())][usize::from(rule)].clone(),
            root: bit(3),
            group: bit(4).then(|| "input".to_owned()),
            engine: bit(5).then(|| (7, "wren".to_owned())),
            devices: devices.iter().enumerate().map(|(n, (denied, hidden, sleeps))| ReadyDevice {
                denied: *denied, hidden: *hidden, sleeps: sleeps.then(|| format!("/sys/{n}/power/control")), ..device(&n.to_string())
            }).collect(),
            translators: if bit(6) { vec![("mirror (640)".into(), "0".into())] } else { Vec::new() },
            helper_missing: bit(7),
            namespaces: bit(10),
            links: if bit(11) { vec![ReadyLink { name: "0".into(), node: "/dev/0".into(), battery: Some(0.1), slow: bit(12).then_some(60.0), ..ReadyLink::default() }] } else { Vec::new() },
        };
        let found = obstacles(&facts);
        let has = |key: &str| found.iter().any(|finding| finding.key == key);
        prop_assert_eq!(has("uinput"), facts.pads.is_err());
        prop_assert_eq!(has("uhid"), facts.pads.is_ok() && facts.apart.is_err());
        prop_assert_eq!(has("engine"), facts.engine.is_some());
        prop_assert_eq!(has("translator mirror (640)"), bit(6));
        prop_assert_eq!(has("helper"), facts.helper_missing && !facts.root);
        prop_assert_eq!(has("namespaces"), facts.helper_missing && !facts.root && !bit(10));
        prop_assert_eq!((has("battery /dev/0"), has("slow /dev/0")), (bit(11), bit(11) && bit(12)));
        prop_assert_eq!(has("rule"), rule > 1 && facts.udev && !facts.root);
        let any_denied = facts.devices.iter().any(|device| device.denied && !device.hidden) || facts.pads == Err(PadFault::Denied);
        prop_assert_eq!(has("group"), facts.group.is_some() && any_denied);
        for device in &facts.devices {
            let denied = device.denied && !device.hidden && facts.group.is_none();
            prop_assert_eq!(has(&format!("denied {}", device.node)), denied);
            prop_assert_eq!(has(&format!("asleep {}", device.node)), device.sleeps.is_some());
        }
        let mut seen = std::collections::HashSet::new();
        for finding in &found {
            prop_assert!(seen.insert(&finding.key), "{} twice", finding.key);
            prop_assert!(!finding.what.is_empty() && !finding.why.is_empty() && !finding.remedy.is_empty());
            prop_assert_eq!(finding.can_be_mended(), !finding.changes.is_empty(), "what it would change is said: {:?}", finding);
            if let Remedy::Setup { .. } = finding.mend {
                prop_assert!(facts.udev || finding.key == "helper", "a rule without udev");
            }
        }
    }
}
