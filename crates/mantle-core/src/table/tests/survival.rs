//! A whole evening's mishaps at once: everything reset, one device that comes and goes, sixteen devices as fast as they can.

use super::*;
use crate::device::DeviceId;

const PLAYERS: u8 = 8;
const DEVICES: u16 = 16;

fn device(n: u16, id: u16) -> NodeFacts {
    node(id, &format!("S{n}"), &format!("1-{n}"))
}

/// Eight players with two devices each: the second ones are tied.
fn full() -> World {
    let mut world = World::plain();
    (0..DEVICES).for_each(|n| world.plug(device(n, n)));
    for n in 0..u16::from(PLAYERS) {
        let tie = Command::Tie { device: DeviceId(n + 8), part: 0, slot: slot(n as u8 + 1) };
        assert!(matches!(world.command(tie), Answer::Done { .. }));
        world.report(n, &[0, 128]);
        world.report(n + 8, &[0, 128]);
    }
    assert_eq!(world.used(), (1..=PLAYERS).collect::<Vec<_>>());
    world
}

/// Who sits where: the serial numbers of each slot's members.
fn seats(world: &World) -> Vec<Vec<String>> {
    let slots = world.table.slots();
    slots.map(|(_, slot)| slot.session.members.iter().map(|member| member.key.uniq.clone()).collect()).collect()
}

fn dropped(world: &World) -> usize {
    world.effects.iter().filter(|effect| matches!(effect, Effect::DropPad { .. })).count()
}

#[test]
fn a_bus_reset_keeps_every_slot_and_presses_nothing() {
    let mut world = full();
    let before = seats(&world);
    for round in 0..20u16 {
        // Everybody holds a button, and all devices disappear at one moment.
        (0..DEVICES).for_each(|n| world.report(n + round % 2 * DEVICES, &[1, 128]));
        assert!((1..=PLAYERS).all(|number| world.down(number, PadTarget::South)), "round {round}");
        world.now = world.now.after(Micros::millis(1));
        for n in 0..DEVICES {
            world.table.handle_gone(world.now, NodeId(n + round % 2 * DEVICES));
            world.settle();
        }
        assert!(world.shadows.values().all(Shadow::is_empty), "nothing stays down");
        // They come back in another order, under other numbers, with the button still held.
        for at in 0..DEVICES {
            let n = (at * 7 + round) % DEVICES;
            world.plug_at_once(device(n, n + (round + 1) % 2 * DEVICES));
            world.report(n + (round + 1) % 2 * DEVICES, &[1, 128]);
        }
        assert!(world.shadows.values().all(Shadow::is_empty), "what was held is not pressed by coming back");
        (0..DEVICES).for_each(|n| world.report(n + (round + 1) % 2 * DEVICES, &[0, 128]));
        assert_eq!(seats(&world), before, "round {round}");
    }
    assert_eq!(dropped(&world), 0, "no pad goes");
}

#[test]
fn a_device_reconnecting_twenty_times_a_second_disturbs_nobody() {
    let mut world = full();
    let (before, slots) = (seats(&world), world.table.slots().count());
    for round in 0..1200u16 {
        // The one next to it is held all the time.
        world.report(1, &[1, (round % 256) as u8]);
        world.table.handle_gone(world.now, NodeId(0));
        world.settle();
        world.now.0 += 25_000;
        world.table.handle_time(world.now);
        world.plug_at_once(device(0, 0));
        world.report(0, &[(round & 1) as u8, 128]);
        world.now.0 += 23_000;
        world.table.handle_time(world.now);
        world.settle();
        assert!(world.down(2, PadTarget::South), "round {round}");
    }
    world.report(0, &[0, 128]);
    assert_eq!((seats(&world), world.table.slots().count(), dropped(&world)), (before, slots, 0));
    // Nothing has piled up: neither numbers, nor words that nobody has read, nor alarms.
    assert!(
        world.table.devices().count() == usize::from(DEVICES) && world.table.sources.len() <= usize::from(DEVICES) + 1
    );
    assert!(std::iter::from_fn(|| world.table.poll_note()).count() <= super::super::NOTES);
    assert!(world.shadows[&slot(1)].is_empty());
    let (_, said) = world.sentence();
    assert!(said.contains("comes and goes"), "{said}");
}

#[test]
fn sixteen_devices_at_a_thousand_reports_a_second_lose_no_edge() {
    let mut world = full();
    let (mut sent, from) = (0, world.written.len());
    for ms in 0..2000u64 {
        for n in 0..DEVICES {
            // The first of each player presses, the second moves.
            let report = if n < 8 { [(ms & 1) as u8, 128] } else { [0, (ms % 256) as u8] };
            world.now.0 += 1000 / u64::from(DEVICES);
            world.table.handle_report(world.now, NodeId(n), &report);
            world.settle();
            sent += u64::from(n < 8 && ms > 0);
        }
    }
    let south = |(kind, code, _): &&(u16, u16, i32)| (*kind, *code) == (1, 0x130);
    let edges = world.written[from..].iter().filter(south).count() as u64;
    assert_eq!(edges, sent, "each report was an edge, the first of each alone was none");
    assert_eq!(dropped(&world), 0);
}
