use super::super::capture::tests::PAD;
use super::super::capture::{CALM, STAYS};
use super::*;
use crate::control::Layout;
use mantle_hid::Descriptor;

const REST: [u8; 8] = [0, 0x80, 128, 128, 0, 126, 255, 126];
const PERIOD: Micros = Micros::millis(8);

/// A roll call, and somebody who presses.
struct Desk {
    layout: Layout,
    frame: Frame,
    call: RollCall,
    now: Micros,
    changes: Vec<Change>,
}

impl Desk {
    fn new(targets: &[PadTarget], elsewhere: &[(PadTarget, &str)]) -> Self {
        let layout = Layout::new(&Descriptor::parse(PAD).expect("a good descriptor"));
        let frame = layout.rest;
        let listened = vec![Listened { member: 0, part: layout.parts[0].clone(), frame }];
        let elsewhere = elsewhere.iter().map(|(target, source)| Elsewhere {
            target: (*target).into(),
            member: 0,
            source: Named::parse(source),
            guessed: true,
        });
        let targets: Vec<Target> = targets.iter().copied().map(Target::Pad).collect();
        let call = RollCall::new(Micros(0), listened, &targets, elsewhere.collect());
        let mut desk = Self { layout, frame, call, now: Micros(0), changes: Vec::new() };
        desk.hold(&[], 100);
        desk
    }

    /// Reports with these bytes for this many milliseconds.
    fn hold(&mut self, values: &[(usize, u8)], millis: u64) {
        let mut report = REST;
        values.iter().for_each(|(at, value)| report[*at] = *value);
        let until = self.now.after(Micros::millis(millis));
        while self.now < until {
            self.now = self.now.after(PERIOD);
            self.layout.plan.decode(&report, &mut self.frame).expect("a whole report");
            self.call.handle_frame(self.now, 0, &self.frame);
            while let Some(changes) = self.call.poll_changes() {
                self.changes.extend(changes);
            }
        }
    }

    fn press(&mut self, values: &[(usize, u8)]) {
        self.hold(values, 80);
        self.hold(&[], CALM.0 / 1000 + 100);
    }

    fn button(&mut self, number: u8) {
        let at = number - 1;
        let high = if at >= 8 { 0x80 | 1 << (at - 8) } else { 0x80 };
        self.press(&[(0, if at < 8 { 1 << at } else { 0 }), (1, high)]);
    }

    fn step(&mut self, step: CallStep) {
        self.call.step(self.now, step);
        while let Some(changes) = self.call.poll_changes() {
            self.changes.extend(changes);
        }
        self.hold(&[], 80);
    }

    /// Like [`Desk::step`], while something is held.
    fn step_holding(&mut self, values: &[(usize, u8)], step: CallStep) {
        self.call.step(self.now, step);
        self.hold(values, 16);
    }

    /// What is asked for.
    fn asked(&self) -> Option<PadTarget> {
        self.call.target().and_then(Target::pad)
    }

    /// What the profile says about a target in the end.
    fn said(&self, target: PadTarget) -> Option<String> {
        let of = |change: &Change| match change {
            Change::Source { target: own, source, inverted, .. } if *own == target => {
                Some(source.clone().map(|source| if *inverted { format!("{source}, backwards") } else { source }))
            }
            _ => None,
        };
        self.changes.iter().rev().find_map(of).flatten()
    }
}

use PadTarget::{Down, East, Left, LeftStickDown, LeftStickLeft, LeftStickRight, LeftStickUp, LeftTrigger};
use PadTarget::{North, Right, RightTrigger, South, Up, West};

#[test]
fn targets_are_asked_for_one_by_one() {
    let mut desk = Desk::new(&[East, South, RightTrigger], &[]);
    assert_eq!(desk.asked(), Some(South), "in the order of asking, not of the list");
    desk.button(3);
    assert_eq!(desk.asked(), Some(East));
    desk.button(10);
    desk.press(&[(6, 0)]);
    assert_eq!(desk.asked(), None, "it is over");
    let said = [South, East, RightTrigger].map(|target| desk.said(target).unwrap_or_default());
    assert_eq!(said, ["button 3", "button 10", "Ry whole, backwards"]);
    let figures = desk.call.answer(RightTrigger.into()).map(|answer| answer.figures.as_str());
    assert_eq!(figures, Some("rest 255, reached 0 of 0 to 255"));
}

#[test]
fn targets_implied_by_an_answer_are_skipped() {
    let sticks = [LeftStickUp, LeftStickDown, LeftStickLeft, LeftStickRight, Up, Down, Left, Right];
    let mut desk = Desk::new(&sticks, &[]);
    desk.press(&[(3, 0)]);
    assert_eq!(desk.asked(), Some(LeftStickLeft), "down is the other half");
    desk.press(&[(2, 255)]);
    assert_eq!(desk.asked(), Some(Up), "a stick that is mounted the other way around");
    desk.press(&[(1, 0x00)]);
    assert_eq!(desk.asked(), None, "a hat gives all four");
    let said = sticks.map(|target| desk.said(target).unwrap_or_default());
    assert_eq!(
        said,
        ["Y lower half", "Y upper half", "X upper half", "X lower half", "hat up", "hat down", "hat left", "hat right"]
    );
}

#[test]
fn a_control_already_in_use_raises_a_question() {
    let mut desk = Desk::new(&[South, East, West], &[(North, "button 4")]);
    desk.button(1);
    desk.button(1);
    assert_eq!(desk.call.question().and_then(|question| question.plays.pad()), Some(South));
    assert_eq!(desk.asked(), Some(East), "nothing is taken yet");
    desk.step(CallStep::Move);
    assert_eq!((desk.said(South).as_deref(), desk.said(East).as_deref()), (Some("none"), Some("button 1")));
    desk.button(4);
    assert_eq!(
        desk.call.question().and_then(|question| question.plays.pad()),
        Some(North),
        "also by what is not called"
    );
    desk.step(CallStep::Both);
    assert_eq!((desk.said(North).as_deref(), desk.said(West).as_deref()), (Some("button 4"), Some("button 4")));
    assert_eq!(desk.asked(), Some(South), "it lost its control: it is asked for again");
    desk.button(2);
    assert_eq!(desk.asked(), None);
}

#[test]
fn a_second_press_also_answers_the_question() {
    let mut desk = Desk::new(&[South, East, West], &[]);
    desk.button(1);
    desk.button(1);
    desk.button(2);
    assert_eq!(desk.said(East).as_deref(), Some("button 2"), "that one was meant instead");
    desk.button(1);
    desk.button(1);
    assert_eq!(desk.said(West).as_deref(), Some("button 1"), "the same again: both");
    assert_eq!(desk.said(South).as_deref(), Some("button 1"));
}

#[test]
fn two_answered_buttons_can_steer_the_roll_call() {
    let mut desk = Desk::new(&[South, East, West, North], &[]);
    desk.button(1);
    desk.hold(&[(0, 1)], 1_000);
    assert_eq!(desk.call.list()[1].1, CallState::Skipped, "held: on");
    desk.hold(&[], 400);
    assert_eq!((desk.asked(), desk.call.question()), (Some(West), None), "the release is no answer");
    desk.button(2);
    assert_eq!((desk.asked(), desk.call.steering()), (Some(North), [Some("button 1"), Some("button 2")]));
    desk.hold(&[(0, 2)], 1_000);
    desk.hold(&[], 400);
    assert_eq!(desk.asked(), Some(West), "held: back");
    desk.button(5);
    assert_eq!(desk.said(West).as_deref(), Some("button 5"));
    desk.button(5);
    assert!(desk.call.question().is_some());
    desk.hold(&[(0, 1)], 1_000);
    desk.hold(&[], 400);
    assert_eq!((desk.said(North).as_deref(), desk.said(West).as_deref()), (Some("button 5"), Some("none")));
    desk.hold(&[(0, 3)], 1_000);
    assert_eq!(desk.asked(), None, "both: it stops");
    desk.hold(&[], 400);
    assert_eq!(desk.said(South).as_deref(), Some("button 1"), "what was answered stays");
}

/// The first half no longer follows from the second once that has another answer.
#[test]
fn going_back_discards_later_answers() {
    let mut desk = Desk::new(&[LeftStickUp, LeftStickDown], &[]);
    desk.press(&[(3, 0)]);
    assert_eq!((desk.asked(), desk.said(LeftStickDown).as_deref()), (None, Some("Y upper half")));
    desk.step(CallStep::Back);
    assert_eq!(desk.asked(), Some(LeftStickUp), "not the one that followed");
    desk.button(1);
    assert_eq!((desk.asked(), desk.said(LeftStickDown)), (Some(LeftStickDown), None));
    desk.step(CallStep::Skip);
    assert_eq!((desk.asked(), desk.said(LeftStickUp).as_deref()), (None, Some("button 1")));
}

#[test]
fn a_second_push_decides_between_two_axes() {
    let mut desk = Desk::new(&[LeftTrigger, RightTrigger], &[]);
    desk.press(&[(3, 0), (2, 10)]);
    assert!(desk.call.unclear().is_some_and(|why| why.starts_with("X and Y were both pressed")), "{:?}", desk.call);
    desk.press(&[(3, 0), (2, 80)]);
    assert_eq!(desk.said(LeftTrigger).as_deref(), Some("Y lower half"));
    desk.press(&[(5, 0), (7, 250)]);
    desk.press(&[(5, 0), (7, 245)]);
    assert_eq!(desk.said(RightTrigger), None, "twice the same: neither");
    desk.press(&[(5, 0), (7, 180)]);
    assert_eq!(desk.said(RightTrigger).as_deref(), Some("Rx lower half"));
}

#[test]
fn a_neighbour_pressed_by_accident_raises_a_question() {
    let mut desk = Desk::new(&[South], &[]);
    desk.hold(&[(0, 0b10)], 16);
    desk.hold(&[], 80);
    desk.press(&[(0, 1)]);
    assert_eq!(desk.call.unclear(), Some("button 1 and button 2 were both pressed: press only the one you mean"));
    desk.button(1);
    assert_eq!(desk.said(South).as_deref(), Some("button 1"));
}

#[test]
fn the_trace_shows_the_push() {
    let mut desk = Desk::new(&[LeftTrigger], &[]);
    desk.hold(&[(4, 255), (5, 150)], 120);
    let traces = desk.call.traces();
    let names: Vec<&str> = traces.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["Z", "Rx"]);
    let trace = traces[0].1;
    assert_eq!((trace[0], trace[5], trace[20]), (0, 255, 0), "{trace:?}");
}

/// Somebody ahead of the question pulls a trigger before it is asked for: its position then is not its rest.
#[test]
fn a_moving_control_has_no_rest_yet() {
    let mut desk = Desk::new(&[LeftTrigger, RightTrigger], &[]);
    desk.hold(&[(4, 255)], 80);
    desk.step_holding(&[(4, 255)], CallStep::Skip);
    desk.hold(&[(4, 255)], 400);
    desk.hold(&[], 400);
    assert_eq!(desk.said(RightTrigger), None, "it was let go, which is no press");
    desk.press(&[(4, 255)]);
    assert_eq!(desk.said(RightTrigger).as_deref(), Some("Z whole"));
}

/// A lever that was moved and stays there rests there from then on.
#[test]
fn a_control_that_stays_put_rests_there() {
    let mut desk = Desk::new(&[LeftTrigger, RightTrigger], &[]);
    desk.hold(&[(4, 255)], 80);
    desk.step_holding(&[(4, 255)], CallStep::Skip);
    desk.hold(&[(4, 255)], STAYS.0 / 1000 + 100);
    desk.hold(&[(4, 0)], 80);
    desk.hold(&[(4, 255)], 400);
    assert_eq!(desk.said(RightTrigger).as_deref(), Some("Z whole, backwards"));
}
