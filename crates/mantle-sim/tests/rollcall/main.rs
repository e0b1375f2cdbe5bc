//! Roll calls answered by simulated hands over the demo's devices. `MANTLE_SEED` draws other hands and meanings, `MANTLE_CALLS` more of them.

mod desk;
#[path = "../draw/mod.rs"]
mod draw;
mod hand;
mod meaning;

use desk::Desk;
use draw::Draw;
use hand::Hand;
use mantle_core::command::Command;
use mantle_core::time::Micros;
use mantle_talk::HandMove;
use meaning::{Meant, Way, put, rest};

const CALLS: u64 = 200;
const SEED: u64 = 20_261_126;
const DEVICES: [&str; 10] = [
    "harbour-panel",
    "orchard-mat",
    "reed-keypad",
    "quay-pad",
    "jetty-box",
    "pilot-yoke",
    "kestrel-puck",
    "lantern-left",
    "lantern-right",
    "cellar-pad",
];

fn number(variable: &str, usual: u64) -> u64 {
    std::env::var(variable).ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}

/// What became of one roll call.
struct Outcome {
    words: String,
    /// It came to its end, and every control was asked for and answered.
    whole: bool,
    /// Targets that something other than the intended control plays.
    wrong: usize,
}

fn call(index: u64, (device, flies): (&str, bool), hand: &Hand, draw: &mut Draw) -> Outcome {
    let mut desk = Desk::new(device, flies);
    let meant = if flies { meaning::draw_any(&desk, draw) } else { meaning::draw(&desk, draw) };
    desk.command(Command::CallRoll { slot: desk.slot, targets: Vec::new() });
    let ended = hand.answer(&mut desk, &meant, draw);
    let answered = |one: &&Meant| desk.call().is_some_and(|call| call.answer(one.target).is_some());
    let left = meant.iter().filter(|one| !answered(one)).count();
    let mut words = format!("call {index}, {device}, {} hand: {} meant, {left} left", hand.name, meant.len());
    desk.command(Command::EndCall);
    desk.interface.handle_move(0, HandMove::Take(true));
    desk.wait(Micros::millis(1_500));
    let mut wrong = 0;
    for one in &meant {
        if let Err(why) = plays(&mut desk, one) {
            wrong += 1;
            words.push_str(&format!("\n    {why}"));
        }
    }
    if wrong > 0 {
        words.push_str(&format!("\n{}", desk.text));
    }
    Outcome { words, whole: ended && left == 0, wrong }
}

/// Whether the control intended for a target plays it and nothing else.
fn plays(desk: &mut Desk, meant: &Meant) -> Result<(), String> {
    let control = desk.control(&meant.control);
    let share = match meant.way {
        Way::End(end) => f32::from(end),
        _ => 1.0,
    };
    let stood = rest(desk, &control);
    put(desk, meant, share);
    desk.wait(Micros::millis(40));
    let pad = desk.pad();
    let targets = desk.model().targets;
    let played: Vec<&str> =
        targets.iter().filter(|target| pad.share(**target) > 0.3).map(|target| target.name()).collect();
    put(desk, meant, if matches!(meant.way, Way::End(_)) { stood } else { 0.0 });
    desk.interface.handle_move(0, HandMove::Take(true));
    desk.wait(Micros::millis(40));
    if played == [meant.target.name()] {
        return Ok(());
    }
    let slot = desk.table.slot(desk.slot).expect("it is in use");
    let members = slot.session.members.iter().flat_map(|member| member.held());
    let out: Vec<&str> = members.map(|control| control.name.as_str()).collect();
    let Meant { control, way, target } = meant;
    Err(format!("{control} {way:?} is meant for {}, and plays {played:?}; skipped: {out:?}", target.name()))
}

#[test]
fn roll_calls_understand_simulated_hands() {
    let hands = hand::read(include_str!("hands.toml"));
    let (seed, calls) = (number("MANTLE_SEED", SEED), number("MANTLE_CALLS", CALLS));
    let (mut whole, mut wrong, mut text) = (0, 0, String::new());
    for index in 0..calls {
        let mut draw = Draw::new(seed.wrapping_mul(1_000_003).wrapping_add(index));
        let device = DEVICES[draw.whole([0, DEVICES.len() as u64 - 1]) as usize];
        let hand = draw.one_of(&hands);
        // A third of them answer for a flight stick.
        let flies = draw.chance(0.34);
        let outcome = call(index, (device, flies), &hand, &mut draw);
        whole += u64::from(outcome.whole && outcome.wrong == 0);
        wrong += outcome.wrong;
        if !outcome.whole || outcome.wrong > 0 {
            text.push_str(&format!("{}\n", outcome.words));
        }
    }
    println!("{text}{whole} of {calls} roll calls are as meant, {wrong} bindings are wrong");
    assert!(whole * 100 >= calls * 98, "{whole} of {calls} roll calls are as meant\n{text}");
    assert_eq!(wrong, 0, "{text}");
}
