//! What is asked of the daemon, and how it is understood: over a real bus, with a stand-in at the other end. The address of the bus is in the
//! environment, of which a process has only one, so these are the steps of one test.

use crossbeam_channel::{Receiver, unbounded};
use mantle_core::connecting::{Dialogue, JourneyNews, Radio, RadioAct, RadioDevice, RadioFault, RadioNews, RadioState};
use mantle_lab::{DEADLINE, Pairs, RadioDaemon, path_of};
use mantle_radio::{Bluez, Places};
use std::time::Instant;

const ONE: &str = "02:00:00:00:00:01";
const TWO: &str = "02:00:00:00:00:02";
const DEVICE: &str = "org.bluez.Device1";

/// A radio, and what it says.
struct Heard {
    radio: Bluez,
    news: Receiver<RadioNews>,
}

impl Heard {
    fn start(places: Places) -> Self {
        let (tell, news) = unbounded();
        Self { radio: Bluez::start(places, move |said| drop(tell.send(said))), news }
    }

    fn ask(&self, act: RadioAct) {
        self.radio.ask(act);
    }

    /// Waits for something that is said.
    fn wait<T>(&self, what: &str, mut wanted: impl FnMut(&RadioNews) -> Option<T>) -> T {
        let (until, mut all) = (Instant::now() + DEADLINE, Vec::new());
        while let Ok(said) = self.news.recv_deadline(until) {
            if let Some(found) = wanted(&said) {
                return found;
            }
            all.push(said);
        }
        panic!("{what} was not said: {all:#?}");
    }

    fn state(&self, state: &RadioState) {
        self.wait(&format!("{state:?}"), |said| matches!(said, RadioNews::State(own) if own == state).then_some(()));
    }

    fn devices(&self, what: &str, wanted: impl Fn(&[RadioDevice]) -> bool) -> Vec<RadioDevice> {
        self.wait(what, |said| match said {
            RadioNews::Devices(all) if wanted(all) => Some(all.clone()),
            _ => None,
        })
    }

    fn of(&self, address: &str) -> JourneyNews {
        self.wait(&format!("something of {address}"), |said| match said {
            RadioNews::Of(own, news) if own == address => Some(news.clone()),
            _ => None,
        })
    }
}

fn pair() -> RadioAct {
    RadioAct::Pair(ONE.into())
}

#[test]
fn the_daemon_is_understood_and_its_absence_reported() {
    let place = tempfile::tempdir().expect("a directory");
    let places = Places { sys: place.path().join("sys"), seen: Some(place.path().join("radio.toml")) };
    // Without any bus.
    point_at("unix:path=/nowhere/at/all");
    let heard = Heard::start(places.clone());
    heard.ask(RadioAct::Open);
    heard.state(&RadioState::NoService);
    drop(heard);

    // A bus without a daemon; then one without an adapter; off; blocked; on.
    let mut daemon = RadioDaemon::bus().expect("a bus");
    point_at(&daemon.address);
    let heard = Heard::start(places.clone());
    heard.ask(RadioAct::Open);
    heard.state(&RadioState::NoService);
    daemon.start().expect("the daemon");
    heard.state(&RadioState::NoAdapter);
    daemon.adapter(false);
    heard.state(&RadioState::Off);
    let block = place.path().join("sys/class/rfkill/rfkill0");
    std::fs::create_dir_all(&block).expect("made");
    for (name, text) in [("type", "bluetooth"), ("soft", "1"), ("hard", "0")] {
        std::fs::write(block.join(name), text).expect("written");
    }
    heard.state(&RadioState::Blocked { hard: false });
    std::fs::write(block.join("hard"), "1").expect("written");
    heard.state(&RadioState::Blocked { hard: true });
    std::fs::remove_dir_all(&block).expect("removed");
    heard.state(&RadioState::Off);
    heard.ask(RadioAct::SwitchOn);
    heard.state(&RadioState::Ready);

    // It searches, and stops searching; what is found is reported as it comes, with names that can be shown.
    heard.ask(RadioAct::Look(true));
    daemon.wait("StartDiscovery").expect("it looks");
    let asked = daemon.asked();
    let at = |what: &str| asked.iter().position(|own| own.contains(what));
    assert!(at("SetDiscoveryFilter") < at("StartDiscovery"), "{asked:?}");
    let services = vec!["00001812-0000-1000-8000-00805f9b34fb".to_owned()];
    daemon.device(
        ONE,
        "Leucht\u{1b}[2Jturm 灯台",
        vec![("Appearance", 0x03c4u16.into()), ("RSSI", (-50i16).into()), ("UUIDs", services.into())],
    );
    let found = heard.devices("one", |all| all.len() == 1);
    assert_eq!(
        (found[0].appearance, found[0].signal, found[0].services.as_slice()),
        (Some(0x03c4), Some(-50), [0x1812].as_slice())
    );
    assert!(found[0].name.contains("turm 灯台") && !found[0].name.contains('\u{1b}'), "{:?}", found[0].name);
    // What changes while it is read: signals, names, 200 devices at once.
    for number in 0..200u32 {
        let address = format!("02:00:00:00:01:{number:02X}");
        daemon.device(&address, &format!("lamp {number}"), vec![("RSSI", (-90i16).into())]);
        daemon.set(&path_of(&address), DEVICE, "RSSI", (-(number as i16)).into());
    }
    heard.devices("201", |all| all.len() == 201);
    (0..200u32).for_each(|number| daemon.remove(&path_of(&format!("02:00:00:00:01:{number:02X}"))));
    heard.devices("one again", |all| all.len() == 1);
    heard.ask(RadioAct::Look(false));
    daemon.wait("StopDiscovery").expect("it stops");

    // Pairing with every dialogue: what is asked, what is answered, and the result.
    let ok = Some(JourneyNews::Done);
    let failed = |fault| Some(JourneyNews::Refused(fault));
    for (how, asks, answer, ends) in [
        (Pairs::Silently, None, None, ok.clone()),
        (Pairs::Compare(4711), Some(Dialogue::Compare("004711".into())), Some(""), ok.clone()),
        (Pairs::Compare(4711), Some(Dialogue::Compare("004711".into())), None, failed(RadioFault::Refused)),
        (Pairs::Enter(4711), Some(Dialogue::EnterCode), Some("004711"), ok.clone()),
        (Pairs::Enter(4711), Some(Dialogue::EnterCode), Some("004712"), failed(RadioFault::WrongCode)),
        (Pairs::Pin("0000".into()), Some(Dialogue::EnterPin), Some("0000"), ok.clone()),
        (Pairs::Pin("0000".into()), Some(Dialogue::EnterPin), Some("1234"), failed(RadioFault::WrongCode)),
        (Pairs::Allow, Some(Dialogue::Allow), Some(""), ok.clone()),
        (Pairs::Fails("org.bluez.Error.AuthenticationFailed", ""), None, None, failed(RadioFault::Elsewhere)),
        (Pairs::Fails("org.bluez.Error.AuthenticationTimeout", ""), None, None, failed(RadioFault::NoAnswer)),
        (Pairs::Fails("org.bluez.Error.AlreadyExists", ""), None, None, ok.clone()),
    ] {
        daemon.pairs(ONE, how.clone());
        heard.ask(pair());
        if let Some(asks) = asks {
            assert_eq!(heard.of(ONE), JourneyNews::Asked(asks), "{how:?}");
            heard.ask(RadioAct::Answer(ONE.into(), answer.map(str::to_owned)));
        }
        assert_eq!(Some(heard.of(ONE)), ends, "{how:?}");
    }
    // A code that is typed on the device: its progress is reported.
    daemon.pairs(ONE, Pairs::Shown(4711));
    heard.ask(pair());
    for typed in 0..=6 {
        assert_eq!(heard.of(ONE), JourneyNews::Asked(Dialogue::Type { code: "004711".into(), typed }));
    }
    assert_eq!(heard.of(ONE), JourneyNews::Done);
    // Given up in the middle: the daemon is told, and its question is answered.
    daemon.pairs(ONE, Pairs::Compare(1));
    heard.ask(pair());
    assert!(matches!(heard.of(ONE), JourneyNews::Asked(_)));
    heard.ask(RadioAct::Cancel(ONE.into()));
    daemon.wait("CancelPairing").expect("it is told");
    assert!(matches!(heard.of(ONE), JourneyNews::Refused(_)));

    // The agent belongs to this connection alone, is never the default one, and answers for nobody else.
    assert!(daemon.asked().iter().any(|asked| asked == "RegisterAgent bluez KeyboardDisplay"), "{:?}", daemon.asked());
    assert!(!daemon.asked().iter().any(|asked| asked.contains("RequestDefaultAgent")));
    daemon.device(TWO, "Desk keys", vec![("Class", 0x0540u32.into())]);
    heard.devices("the keyboard", |all| all.len() == 2);
    assert_eq!(daemon.ask_agent(TWO).expect("an answer").as_deref(), Some("org.bluez.Error.Rejected"));
    assert_eq!(
        heard.wait("the stranger", |said| matches!(said, RadioNews::Stranger(name) if name == "Desk keys")
            .then_some(())),
        ()
    );
    // Nor for a device that this program knows, as long as it is not being paired.
    assert_eq!(daemon.ask_agent(ONE).expect("an answer").as_deref(), Some("org.bluez.Error.Rejected"));

    // Trust, link, name, forgetting; a device that has gone meanwhile.
    heard.ask(RadioAct::Trust(ONE.into()));
    assert_eq!(heard.of(ONE), JourneyNews::Done);
    heard.ask(RadioAct::Drop(ONE.into()));
    heard.devices("no link", |all| all.iter().any(|one| one.address == ONE && !one.linked));
    heard.ask(RadioAct::Link(ONE.into()));
    assert_eq!(heard.of(ONE), JourneyNews::Done);
    heard.ask(RadioAct::Rename(ONE.into(), "North lamp".into()));
    let known = heard.devices("its name", |all| all.iter().any(|one| one.name == "North lamp"));
    let own = known.iter().find(|one| one.address == ONE).expect("it is there");
    assert!(own.paired && own.trusted && own.linked && own.seen.is_some(), "{own:?}");
    daemon.put(&path_of(ONE), "org.bluez.Battery1", vec![("Percentage", 41u8.into())]);
    heard.devices("its battery", |all| all.iter().any(|one| one.battery == Some(41)));
    heard.ask(RadioAct::Forget(ONE.into()));
    assert_eq!(heard.of(ONE), JourneyNews::Done);
    heard.ask(RadioAct::Link(ONE.into()));
    assert_eq!(heard.of(ONE), JourneyNews::Refused(RadioFault::NotThere));
    // Removed, to be paired again: it is searched for, and paired once it is found.
    let looked = |daemon: &RadioDaemon| daemon.asked().iter().filter(|asked| asked.starts_with("St")).count();
    let before = looked(&daemon);
    daemon.pairs(ONE, Pairs::Silently);
    heard.ask(pair());
    heard.ask(RadioAct::Rename(TWO.into(), "Desk keys 2".into()));
    heard.devices("that it goes on", |all| all.iter().any(|one| one.name == "Desk keys 2"));
    assert_eq!(looked(&daemon), before + 1, "{:?}", daemon.asked());
    daemon.device(ONE, "North lamp", vec![]);
    assert_eq!(heard.of(ONE), JourneyNews::Done);
    assert_eq!(looked(&daemon), before + 2, "it looks no longer");

    // The daemon restarts in the middle: what was going on is over, and everything starts again.
    daemon.pairs(TWO, Pairs::Never);
    heard.ask(RadioAct::Pair(TWO.into()));
    daemon.wait("Pair dev_02_00_00_00_00_02").expect("it is paired");
    daemon.stop();
    assert_eq!(heard.of(TWO), JourneyNews::Refused(RadioFault::NoRadio));
    heard.state(&RadioState::NoService);
    daemon.start().expect("the daemon");
    heard.state(&RadioState::Ready);
    daemon.pairs(TWO, Pairs::Compare(7));
    heard.ask(RadioAct::Pair(TWO.into()));
    assert_eq!(heard.of(TWO), JourneyNews::Asked(Dialogue::Compare("000007".into())), "its agent is there again");
    heard.ask(RadioAct::Answer(TWO.into(), Some(String::new())));
    assert_eq!(heard.of(TWO), JourneyNews::Done);
    // The adapter is unplugged, and comes back.
    daemon.remove_adapter();
    heard.state(&RadioState::NoAdapter);
    daemon.adapter(true);
    heard.state(&RadioState::Ready);

    // An account that may not ask.
    daemon.refuse(Some("org.freedesktop.DBus.Error.AccessDenied"));
    heard.ask(RadioAct::Open);
    heard.state(&RadioState::Denied);
    daemon.refuse(None);
    heard.ask(RadioAct::Open);
    heard.state(&RadioState::Ready);
    // The bus itself goes.
    drop(daemon);
    heard.state(&RadioState::NoService);
}

/// Says where the bus is.
fn point_at(address: &str) {
    // SAFETY: nobody else reads the environment now: what was started before has its bus, or has ended.
    unsafe { std::env::set_var("DBUS_SYSTEM_BUS_ADDRESS", address) };
}
