//! What is typed is kept private unless the person switches it on; it is forgotten when that is switched off.

use mantle_core::device::{Bus, Driver, Identity, NodeFacts, NodeId, NodeKind};
use mantle_core::table::{Settings, Table};
use mantle_core::time::Micros;
use mantle_engine::{Mailbox, Observer, Publisher};
use mantle_talk::{Asker, Header, HistoryRequest, Watch};

/// A keyboard's modifiers.
const KEYBOARD: &[u8] = &[
    0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
    0x08, 0x81, 0x02, 0xc0,
];

/// More than a snapshot has.
const PIECES: usize = 100;

#[test]
fn keyboard_reports_are_kept_only_while_enabled() {
    let mut table = Table::new(Settings::default());
    let identity = Identity { bus: Bus::USB, vendor: 0x1209, product: 1, name: "keys".into(), ..Identity::default() };
    table.handle_arrived(
        Micros(1),
        NodeFacts {
            id: NodeId(0),
            path: "/dev/hidraw0".into(),
            identity,
            kind: NodeKind::Reports,
            driver: Driver::Generic,
            descriptor: KEYBOARD.to_vec(),
            inputs: Vec::new(),
            driven: Default::default(),
            connection: Default::default(),
            sysfs: String::new(),
        },
    );
    let mailbox = Mailbox::new(|| {});
    let mut publisher = Publisher::new(mailbox.clone(), Header::default());
    let mut now = Micros::seconds(1);
    let mut kept = |keyboards: bool| {
        publisher.handle_watch(Asker::default(), Watch { reports: true, keyboards, ..Watch::default() });
        now = now.after(Micros::seconds(1));
        (0..PIECES).for_each(|_| publisher.work(now, &table));
        table.handle_report(now, NodeId(0), &[1]);
        publisher.handle_report(now, NodeId(0), &[1]);
        publisher.handle_history(Asker::default(), &HistoryRequest { node: NodeId(0), until: now });
        mailbox.take_histories().iter().map(|answer| answer.rows.len()).sum::<usize>()
    };
    assert_eq!(kept(false), 0);
    assert_eq!(kept(true), 1);
    assert_eq!(kept(true), 2);
    assert_eq!(kept(false), 0, "forgotten");
    assert_eq!(kept(true), 1, "and begun anew");
}
