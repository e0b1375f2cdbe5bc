//! Profiles at work compared with a plain, slow evaluator that works from the parsed profile and shares nothing with the compiler; and what must hold
//! whatever is pressed.

mod draw;
mod plain;

use draw::{Act, PAD, Story, profile, story, targets};
use mantle_core::binding::{Beside, Contribution, Engine, Leave, More, Named, Part, Profile, Rule, Target, resolve};
use mantle_core::control::{Layout, PartLayout};
use mantle_core::keys::KeyTarget;
use mantle_core::pad::{PadKind, PadModel, PadTarget};
use mantle_core::time::Micros;
use mantle_hid::{Descriptor, Frame};
use plain::Plain;
use proptest::prelude::*;

/// What an engine gives: to the pad, and besides it.
#[derive(Clone, Default)]
struct Given(Contribution, Vec<(KeyTarget, f32)>);

impl Given {
    fn share(&self, target: Target) -> f32 {
        match target {
            Target::Key(stroke) => self.1.iter().find(|(own, _)| *own == stroke).map_or(0.0, |(_, share)| *share),
            Target::Pad(target) => self.0.share(target),
        }
    }
}

/// An engine as the session runs it: deadlines first, each at its own due time.
struct Run {
    engine: Engine,
    frame: Frame,
    given: Given,
}

impl Run {
    fn new(profile: &Profile, part: &PartLayout, rest: Frame) -> Self {
        let engine = Engine::new(profile, &resolve(profile, part, &PadModel::common(), Beside::default()), part);
        Self { engine, frame: rest, given: Given::default() }
    }

    /// Time passes up to a moment; what is computed on the way is reported.
    fn pass(&mut self, until: Micros, mut told: impl FnMut(Micros, &Given)) {
        while let Some(due) = self.engine.deadline().filter(|due| *due <= until) {
            self.work(due);
            told(due, &self.given);
        }
    }

    fn frame(&mut self, now: Micros, frame: &Frame) {
        self.frame = *frame;
        self.work(now);
    }

    fn work(&mut self, now: Micros) {
        let (before, given) = (self.given.1.clone(), self.engine.handle_frame(now, &self.frame, 0, 0));
        let moved = self.engine.take_strokes_moved();
        self.given = Given(given, self.engine.strokes().to_vec());
        assert!(moved || before == self.given.1 || before.is_empty(), "what is typed has changed, and nobody is told");
    }
}

/// The pad at rest: its triggers are at their lower ends.
fn pad() -> (Layout, PartLayout) {
    let mut layout = Layout::new(&Descriptor::parse(PAD).expect("a good descriptor"));
    layout.plan.decode(&draw::REST, &mut layout.rest).expect("a whole report");
    let part = layout.parts[0].clone();
    (layout, part)
}

/// Where two answers differ.
fn difference(given: &Given, meant: &plain::Given) -> Option<String> {
    targets().iter().find_map(|target| {
        let (got, want) = (given.share(*target), meant.share(*target));
        ((got - want).abs() > 2e-3).then(|| format!("{} is {got} and should be {want}", target.name()))
    })
}

/// Plays a story on both; returns the first difference in words.
fn compare(profile: &Profile, story: &Story) -> Option<String> {
    let (layout, part) = pad();
    let mut run = Run::new(profile, &part, layout.rest);
    let mut plain = Plain::new(profile, &part);
    let mut now = Micros(0);
    let mut frame = layout.rest;
    for (index, (wait, act)) in story.iter().enumerate() {
        now = now.after(*wait);
        let mut wrong = None;
        run.pass(now, |due, given| {
            plain.time(due);
            wrong = wrong.take().or_else(|| difference(given, &plain.give()).map(|what| format!("at {due:?}: {what}")));
        });
        if wrong.is_some() {
            return wrong;
        }
        match act {
            Act::Report(bytes) => {
                layout.plan.decode(bytes, &mut frame).expect("a whole report");
                run.frame(now, &frame);
                plain.frame(now, &frame);
            }
            Act::Release => {
                frame = layout.rest;
                run.engine.release();
                run.frame(now, &frame);
                plain = Plain::new(profile, &part);
                plain.frame(now, &frame);
            }
        }
        if let Some(what) = difference(&run.given, &plain.give()) {
            return Some(format!("act {index} at {now:?}: {what}"));
        }
    }
    None
}

/// The target of a flight stick in place of one of the common pad: another one of the same kind, wherever it is.
fn flown(target: Target) -> Target {
    use PadTarget::*;
    let Target::Pad(target) = target else { return target };
    Target::Pad(match target {
        South => Button(0),
        East => Button(15),
        West => Button(16),
        North => Button(55),
        LeftShoulder => Button(31),
        RightShoulder => Button(32),
        Select => Button(5),
        Start => Button(6),
        LeftStickPress => Button(7),
        RightStickPress => Button(8),
        Mode => Button(9),
        Up => Hat(2, 0),
        Down => Hat(2, 1),
        Left => Hat(2, 2),
        Right => Hat(2, 3),
        LeftTrigger => Line(2, true),
        RightTrigger => Line(5, true),
        RightStickLeft => Line(0, false),
        RightStickRight => Line(0, true),
        RightStickUp => Line(4, false),
        RightStickDown => Line(4, true),
        other => other,
    })
}

/// Plays a story on a flight stick by one profile, and on the plain evaluator by the other one; returns the first difference in words.
fn compare_flown(plain: &Profile, own: &Profile, story: &Story) -> Option<String> {
    let (layout, part) = pad();
    let [_, flight, ..] = PadKind::widest();
    let mut engine = Engine::new(own, &resolve(own, &part, &flight.model(), Beside::default()), &part);
    let mut meant = Plain::new(plain, &part);
    let (mut now, mut frame) = (Micros(0), layout.rest);
    let differs = |engine: &Engine, given: &Contribution, frame: &Frame, meant: &plain::Given| {
        let mut more = More::default();
        engine.add_more_to(frame, 0, &mut more);
        let strokes = engine.strokes();
        targets().into_iter().find_map(|target| {
            let got = match flown(target) {
                Target::Key(stroke) => strokes.iter().find(|(own, _)| *own == stroke).map_or(0.0, |(_, share)| *share),
                Target::Pad(own) if target == own => given.share(own),
                Target::Pad(own) => more.share(own),
            };
            let want = meant.share(target);
            ((got - want).abs() > 2e-3).then(|| format!("{} is {got} and should be {want}", flown(target).name()))
        })
    };
    for (index, (wait, act)) in story.iter().enumerate() {
        now = now.after(*wait);
        while let Some(due) = engine.deadline().filter(|due| *due <= now) {
            let given = engine.handle_frame(due, &frame, 0, 0);
            meant.time(due);
            if let Some(what) = differs(&engine, &given, &frame, &meant.give()) {
                return Some(format!("at {due:?}: {what}"));
            }
        }
        match act {
            Act::Report(bytes) => {
                layout.plan.decode(bytes, &mut frame).expect("a whole report");
            }
            Act::Release => {
                frame = layout.rest;
                engine.release();
                meant = Plain::new(plain, &part);
            }
        }
        let given = engine.handle_frame(now, &frame, 0, 0);
        meant.frame(now, &frame);
        if let Some(what) = differs(&engine, &given, &frame, &meant.give()) {
            return Some(format!("act {index} at {now:?}: {what}"));
        }
    }
    None
}

proptest! {
    #[test]
    fn the_engine_agrees_with_the_profile(profile in profile(), story in story()) {
        if let Some(what) = compare(&profile, &story) {
            prop_assert!(false, "{what}\n{profile:#?}\n{story:?}");
        }
    }

    /// A kind of pad is a renaming: the same profile, for a flight stick's buttons, hats and axes instead of the common pad's, gives them the same.
    #[test]
    fn another_kind_agrees_with_the_profile(profile in profile(), story in story()) {
        let plain = Profile { defaults: false, turn: [profile.turn[0], 0.0], ..profile };
        let mut own = plain.clone();
        own.rules.iter_mut().for_each(|rule| rule.target = flown(rule.target));
        own.combine.iter_mut().for_each(|(target, _)| *target = flown(*target));
        if let Some(what) = compare_flown(&plain, &own, &story) {
            prop_assert!(false, "{what}\n{own:#?}\n{story:?}");
        }
    }

    /// Nothing differs from rest once everything has been released and all that runs by itself has ended, except what was switched on; and after a
    /// release of everything not even that.
    #[test]
    fn nothing_stays_pressed(profile in profile(), story in story()) {
        let mut profile = profile;
        for rule in &mut profile.rules {
            // What is on at rest, or stays on, remains pressed.
            let button = rule.source.as_ref().is_some_and(|named| named.control.starts_with("button"));
            if !button || rule.options.toggle || rule.options.inverted {
                rule.options.again = None;
            }
        }
        let (layout, part) = pad();
        let mut run = Run::new(&profile, &part, layout.rest);
        let mut now = Micros(0);
        let mut frame = layout.rest;
        for (wait, act) in &story {
            now = now.after(*wait);
            run.pass(now, |_, _| {});
            if let Act::Report(bytes) = act {
                layout.plan.decode(bytes, &mut frame).expect("a whole report");
                run.frame(now, &frame);
            }
        }
        run.frame(now, &layout.rest);
        run.pass(now.after(Micros::seconds(10)), |_, _| {});
        prop_assert_eq!(run.engine.deadline(), None, "everything that runs by itself comes to an end");
        // If a control rests at an end, a half of it, or its inverse, gives something at rest, as from the beginning.
        let mut fresh = Run::new(&profile, &part, layout.rest);
        fresh.frame(Micros(0), &layout.rest);
        fresh.pass(Micros::seconds(10), |_, _| {});
        // So does what is half pressed at rest, depending on what came before: the whole of an axis with a middle.
        let half = |rule: &&Rule| {
            let whole = |one: &Named| !one.control.contains(' ') && matches!(one.part, None | Some(Part::Whole));
            rule.source.as_ref().is_some_and(whole)
        };
        // And a finger may leave what it moved where it was.
        let stays = |rule: &&Rule| rule.options.leave != Leave::Centre;
        let left = profile.rules.iter().any(|rule| stays(&rule));
        let on_surface = |rule: &&Rule| {
            left && rule.source.as_ref().is_some_and(|named| named.control.starts_with("contact 1 "))
        };
        // What is pressed at rest depends on where the finger was when it came to rest, if that counts.
        let by_place = |rule: &&Rule| rule.options.inverted && profile.rules.iter().any(|rule| rule.options.region.is_some());
        let may_stay = |rule: &&Rule| rule.options.toggle || half(rule) || on_surface(rule) || by_place(rule);
        let toggles = profile.rules.iter().filter(may_stay);
        let toggles: Vec<Target> = toggles.map(|rule| rule.target).collect();
        let mut mask = toggles.iter().fold(0, |all, target| all | target.mask());
        // Opposite directions of a stick are one.
        mask |= (mask >> 17 & 0x55) << 18 | (mask >> 18 & 0x55) << 17;
        let mut layered = false;
        let anything = targets().iter().any(|target| fresh.given.share(*target) > 0.0);
        if anything && profile.opposite != Default::default() {
            // Of two directions that are both off at rest, the later one depends on what came before.
            return Ok(());
        }
        if profile.layers.iter().any(|layer| layer.toggle) || mask != 0 && profile.turn != [0.0, 0.0] {
            // A layer that is switched on has other rules; a turn moves one axis to the other.
            mask = u128::MAX;
            layered = profile.layers.iter().any(|layer| layer.toggle);
        }
        let differs = |run: &Run, target: Target| (run.given.share(target) - fresh.given.share(target)).abs() > 2e-3;
        let may = |target: Target| mask & target.mask() != 0 || toggles.contains(&target) || layered && target.is_key();
        for target in targets() {
            prop_assert!(may(target) || !differs(&run, target), "{} stays at {}", target.name(), run.given.share(target));
        }
        run.engine.release();
        run.frame(now.after(Micros::seconds(11)), &layout.rest);
        run.pass(now.after(Micros::seconds(21)), |_, _| {});
        prop_assert!(targets().iter().all(|target| !differs(&run, *target)), "after a release nothing is switched on");
    }

    /// Needless wake-ups change nothing.
    #[test]
    fn extra_wake_ups_change_nothing(profile in profile(), story in story(), every in 1_000u64..9_000) {
        let (layout, part) = pad();
        let (mut calm, mut nervous) = (Run::new(&profile, &part, layout.rest), Run::new(&profile, &part, layout.rest));
        let mut now = Micros(0);
        let mut frame = layout.rest;
        calm.frame(now, &frame);
        nervous.frame(now, &frame);
        for (wait, act) in &story {
            let then = now.after(*wait);
            calm.pass(then, |_, _| {});
            let mut at = now.after(Micros(every));
            while at < then {
                nervous.pass(at, |_, _| {});
                nervous.frame(at, &frame);
                at = at.after(Micros(every));
            }
            nervous.pass(then, |_, _| {});
            now = then;
            let bytes = if let Act::Report(bytes) = act { bytes.as_slice() } else { &draw::REST };
            layout.plan.decode(bytes, &mut frame).expect("a whole report");
            calm.frame(now, &frame);
            nervous.frame(now, &frame);
            for target in targets() {
                let (a, b) = (calm.given.share(target), nervous.given.share(target));
                prop_assert!((a - b).abs() < 2e-3, "{}: {a} and {b}", target.name());
            }
        }
    }
}

fn rule(target: impl Into<Target>, source: &str) -> Rule {
    Rule { target: target.into(), source: Some(Named::parse(source)), layer: 0, line: 1, options: Default::default() }
}

#[test]
fn names_may_be_followed_by_a_part() {
    for (text, control, part) in [
        ("button 3", "button 3", None),
        ("Z lower half", "Z", Some(Part::LowerHalf)),
        ("hat up", "hat", Some(Part::Up)),
        ("left stick X upper half", "left stick X", Some(Part::UpperHalf)),
        ("up", "up", None),
    ] {
        let named = Named::parse(text);
        assert_eq!((named.control.as_str(), named.part), (control, part), "{text}");
        assert_eq!(named.text(), text);
    }
}

/// What a profile does not mention plays as it would without it; a control that it uses plays nothing else.
#[test]
fn unbound_controls_keep_their_defaults() {
    let (_, part) = pad();
    let mut profile =
        Profile { rules: vec![rule(PadTarget::South, "button 4")], ..Profile::plain("p", Default::default()) };
    let targets = |profile: &Profile, name: &str| {
        let number = part.controls.iter().find(|control| control.name == name).expect("there is one").number;
        let bindings = resolve(profile, &part, &PadModel::common(), Beside::default());
        bindings.list.iter().filter(|one| one.control == number).map(|one| one.target.name()).collect::<Vec<_>>()
    };
    assert_eq!(targets(&profile, "button 4"), ["South"]);
    assert_eq!(targets(&profile, "button 1"), Vec::<&str>::new(), "South has another source now");
    assert_eq!(targets(&profile, "button 2"), ["East"]);
    profile.defaults = false;
    assert_eq!(targets(&profile, "button 2"), Vec::<&str>::new());
    profile.rules.push(rule(PadTarget::East, "lever"));
    let bindings = resolve(&profile, &part, &PadModel::common(), Beside::default());
    assert_eq!(bindings.not_found, [(1, "the device has no control named lever".to_owned())]);
}

/// The stories reach every option and every way of playing: otherwise the properties above would prove less than they claim.
#[test]
fn drawn_profiles_reach_every_feature() {
    use proptest::strategy::ValueTree;
    use proptest::test_runner::TestRunner;
    let mut runner = TestRunner::deterministic();
    let mut seen = [0u32; 16];
    for _ in 0..300 {
        let profile = profile().new_tree(&mut runner).expect("a profile").current();
        let any = |test: fn(&Rule) -> bool| u32::from(profile.rules.iter().any(test));
        let found = [
            any(|rule| rule.options.toggle),
            any(|rule| rule.options.ramp > Micros(0)),
            any(|rule| rule.options.shortest > Micros(0)),
            any(|rule| rule.options.again.is_some()),
            any(|rule| !rule.options.row.is_empty()),
            any(|rule| !rule.options.with.is_empty()),
            any(|rule| rule.options.inverted),
            any(|rule| rule.layer > 1),
            any(|rule| rule.options.threshold > 0.0),
            any(|rule| rule.options.tap > Micros(0)),
            any(|rule| rule.options.region.is_some()),
            any(|rule| rule.source.as_ref().is_some_and(|named| named.control.starts_with("contact 1"))),
            any(|rule| rule.source.is_none()),
            u32::from(!profile.combine.is_empty()),
            u32::from(profile.opposite != Default::default()),
            u32::from(profile.turn != [0.0, 0.0]),
        ];
        seen.iter_mut().zip(found).for_each(|(sum, one)| *sum += one);
    }
    assert!(seen.iter().all(|count| *count > 20), "{seen:?}");
}
