//! Whoever is not watching is told over the session bus, and the machine sleeps once all pads rest. The desktop and the login manager are stand-ins
//! on a bus of the test's own.

#[allow(dead_code, reason = "other tests use the rest of it")]
mod account;
#[allow(dead_code, reason = "other tests use the rest of it")]
mod tty;

use account::Account;
use mantle_lab::{Asked, Bus, wait_for};
use std::fs;

fn notified(bus: &Bus) -> (u32, u8, String, String) {
    loop {
        match bus.next().expect("a notification") {
            Asked::Notify { number, urgency, title, text, .. } => return (number, urgency, title, text),
            Asked::Inhibit(..) => {}
            other => panic!("{other:?}"),
        }
    }
}

#[test]
fn a_fault_notifies_once_and_is_withdrawn_when_fixed() {
    let bus = Bus::start(true).expect("a bus");
    let mut account = Account::new();
    account.bus = Some(bus.address.clone());
    account.serve("troubles");
    let (mut stops, mut low) = (None, None);
    while stops.is_none() || low.is_none() {
        let (number, urgency, title, text) = notified(&bus);
        match title.as_str() {
            "A device has stopped" => {
                assert!(text.contains("Slot 4: Harbour panel sent") && urgency == 2, "{text}");
                stops = Some(number);
            }
            "A battery is low" => {
                assert!(text.contains("Slot 3: the battery of Lantern left is") && urgency == 1, "{text}");
                low = Some(number);
            }
            _ => panic!("{title}: {text}"),
        }
    }
    // What is no news is not reported: neither the drift of slot 1 nor the profile of slot 2, and nothing twice.
    account.said(&["take-out", "4"]);
    assert_eq!(bus.next(), Ok(Asked::Close(stops.expect("it was told"))));
    // One kind is switched off by the person, for a running engine; then it does not use the desktop either.
    account.said(&["settings", "news.battery", "false"]);
    let settings = account.said(&["settings"]);
    assert!(settings.contains("news.battery = false") && settings.contains("slots.keep = \"for good\""), "{settings}");
    account.said(&["stop"]);
    assert_eq!(bus.next(), Ok(Asked::Close(low.expect("it was told"))), "nothing stands once the engine has ended");
}

#[test]
fn the_machine_sleeps_once_all_pads_rest() {
    let bus = Bus::start(true).expect("a bus");
    let mut account = Account::new();
    account.bus = Some(bus.address.clone());
    account.serve("tidewater");
    let holds = Asked::Inhibit("sleep".into(), "delay".into());
    assert_eq!(bus.next(), Ok(holds.clone()));
    let log = |words: &str| {
        let log = || fs::read_to_string(account.path("log")).unwrap_or_default();
        wait_for(words, || log().contains(words).then_some(())).expect("it is in the log");
    };
    bus.sleep(true).expect("said");
    assert_eq!(bus.next(), Ok(Asked::Released));
    let said = fs::read_to_string(account.path("log")).expect("its log");
    assert!(said.contains("the machine is going to sleep: pads rest"), "it sleeps before pads rest:\n{said}");
    bus.sleep(false).expect("said");
    assert_eq!(bus.next(), Ok(holds));
    log("the machine is awake: devices start up again");
}

#[test]
fn a_missing_bus_is_reported_once_and_costs_nothing_else() {
    let mut account = Account::new();
    account.bus = Some("unix:path=/nowhere/at/all".into());
    account.serve("troubles");
    let log = || fs::read_to_string(account.path("errors")).unwrap_or_default();
    wait_for("word of the bus", || log().contains("notifications do not work").then_some(())).expect("it is said");
    assert!(account.said(&["status"]).contains("Slot 3"));
    account.said(&["stop"]);
    let times = |words: &str| log().matches(words).count();
    assert_eq!((times("notifications do not work"), times("sleep is only noticed after")), (1, 1), "{}", log());
}
