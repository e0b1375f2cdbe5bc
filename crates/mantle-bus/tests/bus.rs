//! What goes to a real bus, and what is heard from it: the desktop and the login manager on it are stand-ins. The address of the session bus is in
//! the environment, of which a process has only one, so these are the steps of one test.

use mantle_bus::{Notices, batteries, raise, watch_sleep};
use mantle_core::news::Message;
use mantle_core::path::NewsKind;
use mantle_lab::{Asked, Bus, DEADLINE};
use std::sync::mpsc::channel;

#[test]
fn a_session_bus_carries_messages_both_ways_and_its_absence_is_harmless() {
    // A missing bus is reported once, and nobody waits for it.
    point_at("unix:path=/nowhere/at/all");
    let (said, faults) = channel();
    let notices = Notices::start(move |fault| said.send(fault.to_string()).expect("heard"));
    let low = |text: &str| Message::Tell(NewsKind::Battery, text.into());
    (0..3).for_each(|_| notices.tell(low("Slot 1: the battery is low.")));
    let fault = faults.recv_timeout(DEADLINE).expect("a fault");
    assert!(fault.starts_with("there is no session bus for notifications: "), "{fault}");
    drop(notices);
    assert_eq!(faults.try_iter().count(), 0, "it is said once");

    let bus = Bus::start(true).expect("a bus");
    point_at(&bus.address);
    let notices = Notices::start(|fault| panic!("{fault}"));
    let next = || bus.next().expect("something is asked");
    notices.tell(low("Slot 1: a <b>low</b> & bad one."));
    let text = "Slot 1: a &lt;b&gt;low&lt;/b&gt; &amp; bad one.".to_owned();
    let title = "A battery is low".to_owned();
    assert_eq!(next(), Asked::Notify { number: 1, replaces: 0, urgency: 1, title: title.clone(), text });
    notices.tell(Message::Tell(NewsKind::NoPad, "Slot 2 stops at Pad.".into()));
    let stops = "A player has no pad".to_owned();
    let text = "Slot 2 stops at Pad.".to_owned();
    assert_eq!(next(), Asked::Notify { number: 2, replaces: 0, urgency: 2, title: stops, text });
    notices.tell(low("Slots 1 and 3."));
    assert_eq!(next(), Asked::Notify { number: 1, replaces: 1, urgency: 1, title, text: "Slots 1 and 3.".into() });
    notices.tell(Message::Withdraw(NewsKind::Battery));
    assert_eq!(next(), Asked::Close(1));
    // What nobody was told is not withdrawn; what is still shown at the end is.
    notices.tell(Message::Withdraw(NewsKind::Delay));
    drop(notices);
    assert_eq!(next(), Asked::Close(2));

    // A desktop that refuses is reported, in its own words.
    let sullen = Bus::start(false).expect("a bus");
    point_at(&sullen.address);
    let (said, faults) = channel();
    let notices = Notices::start(move |fault| said.send(fault.to_string()).expect("heard"));
    notices.tell(low("Slot 1."));
    let fault = faults.recv_timeout(DEADLINE).expect("a fault");
    assert!(fault.contains("does not show notifications") && fault.contains("this desktop shows nothing"), "{fault}");

    // Real-time priority is refused in their words, too, and granted where it is.
    let asked = Asked::Raise(std::process::id().into(), 77, 1);
    let fault = raise(77, 1).expect_err("it is refused").to_string();
    assert!(fault.contains("(rtkit)") && fault.contains("not for you"), "{fault}");
    assert_eq!(std::iter::from_fn(|| sullen.next().ok()).find(|found| *found == asked), Some(asked.clone()));
    point_at("unix:path=/nowhere/at/all");
    assert!(raise(77, 1).expect_err("nobody is there").to_string().contains("(rtkit)"));
    point_at(&bus.address);
    raise(77, 1).expect("it is given");
    assert_eq!(next(), asked);

    // Batteries that the Bluetooth daemon knows; an impossible charge counts as unknown, and without a daemon nothing is known.
    assert_eq!(batteries().expect("it answers"), [("A4:0B:11:22:33:44".to_owned(), 0.37)]);
    point_at("unix:path=/nowhere/at/all");
    assert!(batteries().expect_err("nobody is there").to_string().contains("the Bluetooth service does not report"));

    // The machine is kept awake until the sleep has been heard, and again after each waking.
    point_at(&bus.address);
    let (heard, sleeps) = channel();
    let (may, go_on) = channel::<()>();
    watch_sleep(
        move |asleep| {
            heard.send(asleep).expect("somebody listens");
            go_on.recv().expect("it may go on");
        },
        |fault| panic!("{fault}"),
    );
    let holds = Asked::Inhibit("sleep".into(), "delay".into());
    for _ in 0..2 {
        assert_eq!(next(), holds);
        bus.sleep(true).expect("said");
        assert_eq!(sleeps.recv_timeout(DEADLINE), Ok(true));
        assert!(bus.asked.is_empty(), "it must not sleep before that has been heard");
        may.send(()).expect("it waits");
        assert_eq!(next(), Asked::Released);
        bus.sleep(false).expect("said");
        assert_eq!(sleeps.recv_timeout(DEADLINE), Ok(false));
        may.send(()).expect("it waits");
    }
}

/// Says where the buses are.
fn point_at(address: &str) {
    for name in ["DBUS_SESSION_BUS_ADDRESS", "DBUS_SYSTEM_BUS_ADDRESS"] {
        // SAFETY: nobody else reads the environment now: what was started before has its bus, or has ended.
        unsafe { std::env::set_var(name, address) };
    }
}
