//! The computer's radio at the table: when it searches, and how one device gets from it to a slot.

use super::{World, node};
use crate::command::{Answer, Command, ConnectAct};
use crate::connecting::{Dialogue, JourneyNews, JourneyStep, RadioAct, RadioDevice, RadioFault, RadioNews, RadioState};
use crate::device::{Bus, NodeFacts};
use crate::table::Effect;
use crate::time::Micros;
use proptest::prelude::*;

const ADDRESS: &str = "02:00:00:00:00:A1";

fn lantern() -> RadioDevice {
    RadioDevice {
        address: ADDRESS.into(),
        name: "Lantern left".into(),
        appearance: Some(0x03c4),
        ..RadioDevice::default()
    }
}

/// What the radio was asked for since.
fn asked(world: &mut World) -> Vec<RadioAct> {
    let all = std::mem::take(&mut world.effects).into_iter();
    all.filter_map(|effect| if let Effect::Radio(act) = effect { Some(act) } else { None }).collect()
}

fn says(world: &mut World, news: RadioNews) {
    world.now.0 += 1000;
    world.table.handle_radio(world.now, news);
    world.settle();
}

fn hears(world: &mut World, heard: JourneyNews) {
    says(world, RadioNews::Of(ADDRESS.into(), heard));
}

/// Somebody watches, the radio is on, and has found one.
fn found() -> World {
    let mut world = World::plain();
    world.table.handle_radio_watched(true);
    world.settle();
    assert_eq!(asked(&mut world), [RadioAct::Open]);
    says(&mut world, RadioNews::State(RadioState::Ready));
    assert_eq!(asked(&mut world), [RadioAct::Look(true)]);
    says(&mut world, RadioNews::Devices(vec![lantern()]));
    world
}

fn begin() -> Command {
    Command::Connect(ConnectAct::Begin(ADDRESS.into()))
}

#[test]
fn searching_lasts_while_the_view_is_open_and_pairs_nothing() {
    let mut world = found();
    world.table.handle_radio_watched(false);
    world.settle();
    assert_eq!(asked(&mut world), [RadioAct::Look(false)]);
    world.table.handle_radio_watched(true);
    world.settle();
    assert_eq!(asked(&mut world), [RadioAct::Open, RadioAct::Look(true)]);
    assert!(matches!(world.command(begin()), Answer::Done { .. }));
    assert_eq!(asked(&mut world), [RadioAct::Look(false), RadioAct::Pair(ADDRESS.into())]);
    hears(&mut world, JourneyNews::Refused(RadioFault::Refused));
    assert_eq!(asked(&mut world), [RadioAct::Look(true)]);
    // Switched off meanwhile it no longer searches, and starts again by itself.
    says(&mut world, RadioNews::State(RadioState::Off));
    says(&mut world, RadioNews::State(RadioState::Ready));
    assert_eq!(asked(&mut world), [RadioAct::Look(true)]);
}

#[test]
fn a_paired_device_is_ready_once_its_node_arrives_and_is_seated() {
    let mut world = found();
    world.command(begin());
    hears(&mut world, JourneyNews::Asked(Dialogue::Compare("004711".into())));
    let answer = |typed: Option<&str>| Command::Connect(ConnectAct::Answer(typed.map(str::to_owned)));
    let Answer::Refused { why, .. } = world.command(answer(Some("1"))) else { panic!("it is yes or no") };
    assert!(why.contains("yes or no"), "{why}");
    world.command(answer(Some("")));
    hears(&mut world, JourneyNews::Done);
    hears(&mut world, JourneyNews::Done);
    says(&mut world, RadioNews::Devices(vec![RadioDevice { linked: true, paired: true, ..lantern() }]));
    assert_eq!(world.table.journey().map(|journey| journey.step()), Some(&JourneyStep::Awaiting));
    // Another device comes, and one by cable whose serial number looks like its address.
    world.plug(node(0, "A", "1-1"));
    world.plug(node(1, ADDRESS, "1-2"));
    assert_eq!(world.table.journey().map(|journey| journey.step()), Some(&JourneyStep::Awaiting));
    let mut facts = NodeFacts { ..node(2, &ADDRESS.to_lowercase(), "") };
    (facts.identity.bus, facts.identity.port) = (Bus::BLUETOOTH, None);
    world.plug(facts);
    assert_eq!(
        world.table.journey().map(|journey| journey.step().clone()),
        Some(JourneyStep::There("/dev/hidraw2".into()))
    );
    // What has turned up ends the search, until somebody wants to continue.
    let acts = asked(&mut world);
    assert!(!acts.contains(&RadioAct::Look(true)), "{acts:?}");
    let view = world.table.connecting(world.now);
    let came: Vec<(&str, &str)> = view.came.iter().map(|came| (came.name.as_str(), came.way.as_str())).collect();
    assert_eq!(came, [("pad", "at port 1-1"), ("pad", "at port 1-2"), ("pad", "by radio")]);
    assert_eq!(view.journey.and_then(|journey| journey.device), Some(view.came[2].device));
    world.command(Command::Connect(ConnectAct::LookOn));
    assert_eq!(asked(&mut world), [RadioAct::Look(true)]);
    assert!(world.table.connecting(world.now).came.is_empty());
}

#[test]
fn two_screens_pair_once_and_steps_time_out() {
    let mut world = found();
    world.command(begin());
    assert!(matches!(world.command(begin()), Answer::Done { .. }), "that is what goes on");
    let other = RadioDevice { address: "02:00:00:00:00:B2".into(), ..lantern() };
    says(&mut world, RadioNews::Devices(vec![lantern(), other.clone()]));
    let Answer::Refused { why, .. } = world.command(Command::Connect(ConnectAct::Begin(other.address))) else {
        panic!("one at a time")
    };
    assert!(why.contains("Lantern left is being paired"), "{why}");
    assert_eq!(asked(&mut world).iter().filter(|act| matches!(act, RadioAct::Pair(_))).count(), 1);
    // The screen goes in the middle: its limit counts all the same.
    world.table.handle_radio_watched(false);
    world.now = world.now.after(Micros::seconds(61));
    world.table.handle_time(world.now);
    world.settle();
    assert_eq!(asked(&mut world), [RadioAct::Cancel(ADDRESS.into())]);
    assert_eq!(world.table.journey().map(|journey| journey.step()), Some(&JourneyStep::Failed(RadioFault::NoAnswer)));
    let gone = world.command(Command::Connect(ConnectAct::Forget("02:00:00:00:00:C3".into())));
    assert!(matches!(gone, Answer::Refused { .. }));
}

#[test]
fn connected_devices_show_at_once_and_refusals_are_reported() {
    let mut world = World::plain();
    let mut facts = NodeFacts { ..node(2, &ADDRESS.to_lowercase(), "") };
    (facts.identity.bus, facts.identity.port) = (Bus::BLUETOOTH, None);
    world.plug(facts);
    world.table.handle_radio_watched(true);
    says(&mut world, RadioNews::State(RadioState::Ready));
    says(&mut world, RadioNews::Devices(vec![RadioDevice { linked: true, paired: true, ..lantern() }]));
    asked(&mut world);
    world.command(begin());
    assert_eq!(asked(&mut world), [], "nothing is to be asked of the radio");
    let journey = world.table.connecting(world.now).journey.expect("a journey");
    assert_eq!(journey.step, JourneyStep::There("/dev/hidraw2".into()));
    assert!(journey.device.is_some());
    // It goes: it is there no longer.
    world.table.handle_gone(world.now, crate::device::NodeId(2));
    world.settle();
    assert_eq!(world.table.connecting(world.now).journey.and_then(|journey| journey.device), None);
    says(&mut world, RadioNews::Stranger("Key reader".into()));
    let said: Vec<String> = std::iter::from_fn(|| world.table.poll_note()).map(|note| note.text).collect();
    assert!(said.iter().any(|text| text.starts_with("Key reader asked to be paired")), "{said:?}");
}

#[test]
fn a_forgotten_device_paired_again_regains_its_name() {
    let mut world = found();
    let known = RadioDevice { paired: true, name: "Lantern of the harbour".into(), ..lantern() };
    says(&mut world, RadioNews::Devices(vec![known.clone()]));
    for name in ["", " ", "a name of more than forty letters is no name to read"] {
        let act = ConnectAct::Rename(ADDRESS.into(), name.into());
        assert!(matches!(world.command(Command::Connect(act)), Answer::Refused { .. }), "{name:?}");
    }
    asked(&mut world);
    world.command(Command::Connect(ConnectAct::Forget(ADDRESS.into())));
    assert_eq!(asked(&mut world), [RadioAct::Forget(ADDRESS.into())]);
    // It is about to disappear: nothing can be done with it, although the radio still knows it.
    let listed = |world: &World| world.table.connecting(world.now).rows.len();
    says(&mut world, RadioNews::Devices(vec![known.clone()]));
    assert_eq!(listed(&world), 0);
    assert!(matches!(world.command(begin()), Answer::Refused { .. }));
    says(&mut world, RadioNews::Devices(vec![lantern()]));
    assert_eq!(listed(&world), 1);
    world.command(begin());
    hears(&mut world, JourneyNews::Done);
    let mut facts = NodeFacts { ..node(2, &ADDRESS.to_lowercase(), "") };
    (facts.identity.bus, facts.identity.port) = (Bus::BLUETOOTH, None);
    world.plug(facts);
    let acts = asked(&mut world);
    assert!(acts.contains(&RadioAct::Rename(ADDRESS.into(), known.name)), "{acts:?}");
}

/// What may happen, in any order.
#[derive(Clone, Debug)]
enum Event {
    News(usize, JourneyNews),
    Devices(Vec<(usize, bool, bool)>),
    State(RadioState),
    Plug(usize),
    Unplug(usize),
    Act(usize, u8),
    Watched(bool),
    Wait(u64),
}

const OTHERS: [&str; 3] = [ADDRESS, "02:00:00:00:00:B2", "02:00:00:00:00:C3"];

fn any_event() -> impl Strategy<Value = Event> {
    let news = prop_oneof![
        Just(JourneyNews::Done),
        Just(JourneyNews::Refused(RadioFault::NoAnswer)),
        Just(JourneyNews::Refused(RadioFault::StaleKeys)),
        Just(JourneyNews::Asked(Dialogue::Compare("000001".into()))),
        Just(JourneyNews::Asked(Dialogue::EnterPin)),
    ];
    let state = prop::sample::select(vec![
        RadioState::Ready,
        RadioState::Off,
        RadioState::NoAdapter,
        RadioState::NoService,
        RadioState::Denied,
    ]);
    prop_oneof![
        6 => (0..3usize, news).prop_map(|(of, news)| Event::News(of, news)),
        3 => prop::collection::vec((0..3usize, any::<bool>(), any::<bool>()), 0..4).prop_map(Event::Devices),
        1 => state.prop_map(Event::State),
        2 => (0..3usize).prop_map(Event::Plug),
        2 => (0..3usize).prop_map(Event::Unplug),
        6 => (0..3usize, 0..8u8).prop_map(|(of, act)| Event::Act(of, act)),
        1 => any::<bool>().prop_map(Event::Watched),
        2 => (0..100u64).prop_map(Event::Wait),
    ]
}

proptest! {
    /// Whatever happens in whatever order: one device at a time is paired and asked about, nothing is called ready without a node at the table, an
    /// answer is sent only if something is asked, and there is always a way out.
    #[test]
    fn every_pairing_step_can_be_left(events in prop::collection::vec(any_event(), 1..80)) {
        let mut world = World::plain();
        world.table.handle_radio_watched(true);
        says(&mut world, RadioNews::State(RadioState::Ready));
        let mut plugged = [false; 3];
        for event in events {
            let before = world.table.journey().map(|journey| (journey.address().to_owned(), journey.step().clone()));
            match event {
                Event::News(of, news) => says(&mut world, RadioNews::Of(OTHERS[of].into(), news)),
                Event::Devices(all) => {
                    let mut devices: Vec<RadioDevice> = Vec::new();
                    for (of, paired, linked) in all {
                        if devices.iter().all(|known| known.address != OTHERS[of]) {
                            devices.push(RadioDevice { address: OTHERS[of].into(), paired, linked, ..lantern() });
                        }
                    }
                    says(&mut world, RadioNews::Devices(devices));
                }
                Event::State(state) => says(&mut world, RadioNews::State(state)),
                Event::Plug(of) if !plugged[of] => {
                    let mut facts = node(of as u16, &OTHERS[of].to_lowercase(), "");
                    (facts.identity.bus, facts.identity.port) = (Bus::BLUETOOTH, None);
                    world.plug(facts);
                    plugged[of] = true;
                }
                Event::Unplug(of) if plugged[of] => {
                    world.table.handle_gone(world.now, crate::device::NodeId(of as u16));
                    world.settle();
                    plugged[of] = false;
                }
                Event::Plug(_) | Event::Unplug(_) => {}
                Event::Act(of, act) => {
                    let address = OTHERS[of].to_owned();
                    let act = match act {
                        0..3 => ConnectAct::Begin(address),
                        3 => ConnectAct::Answer(Some(String::new())),
                        4 => ConnectAct::Answer(None),
                        5 => ConnectAct::GiveUp,
                        6 => ConnectAct::Anew,
                        _ => ConnectAct::Forget(address),
                    };
                    let _ = world.command(Command::Connect(act));
                }
                Event::Watched(watched) => {
                    world.table.handle_radio_watched(watched);
                    world.settle();
                }
                Event::Wait(seconds) => {
                    world.now = world.now.after(Micros::seconds(seconds));
                    world.table.handle_time(world.now);
                    world.settle();
                }
            }
            let acts = asked(&mut world);
            let pairs: Vec<&RadioAct> = acts.iter().filter(|act| matches!(act, RadioAct::Pair(_))).collect();
            prop_assert!(pairs.len() <= 1, "{acts:?}");
            let now = world.table.journey().map(|journey| (journey.address().to_owned(), journey.step().clone()));
            if let Some(RadioAct::Pair(address)) = pairs.first() {
                let busy = before.as_ref().is_some_and(|(other, step)| {
                    other != address && !matches!(step, JourneyStep::There(_) | JourneyStep::Failed(_))
                });
                prop_assert!(!busy, "another one was on its way: {before:?}");
            }
            for act in &acts {
                if let RadioAct::Answer(address, _) = act {
                    let asked = matches!(&before, Some((own, JourneyStep::Pairing(Some(_)))) if own == address);
                    prop_assert!(asked, "nobody had asked: {before:?}");
                }
            }
            if let Some((address, JourneyStep::There(_))) = &now
                && before != now
            {
                let of = OTHERS.iter().position(|own| own == address).expect("one of them");
                prop_assert!(plugged[of], "there is no node of {address}");
            }
        }
        // Out: what goes on is given up, what is over is dismissed, and another one can be begun.
        for _ in 0..2 {
            if world.table.journey().is_some() {
                world.command(Command::Connect(ConnectAct::GiveUp));
            }
        }
        prop_assert!(world.table.journey().is_none());
        says(&mut world, RadioNews::State(RadioState::Ready));
        says(&mut world, RadioNews::Devices(vec![lantern()]));
        prop_assert!(matches!(world.command(begin()), Answer::Done { .. }), "it can be begun");
    }
}

#[test]
fn a_failed_removal_is_reported_and_the_device_stays() {
    let mut world = found();
    says(&mut world, RadioNews::Devices(vec![RadioDevice { paired: true, ..lantern() }]));
    world.command(Command::Connect(ConnectAct::Forget(ADDRESS.into())));
    hears(&mut world, JourneyNews::Refused(RadioFault::Busy));
    assert_eq!(world.table.connecting(world.now).rows.len(), 1);
    let said: Vec<String> = std::iter::from_fn(|| world.table.poll_note()).map(|note| note.text).collect();
    assert!(said.iter().any(|text| text.starts_with("Lantern left cannot be removed")), "{said:?}");
}
