use super::*;
use mantle_core::binding::{Change, Combine, Face, NewFrom, Opposite, OptionChange, ProfileAct, Target};
use mantle_core::feel::{Gate, Setting, Shape, Shaped};
use mantle_core::pad::{PadTarget, TARGETS};
use proptest::prelude::*;

const FERRY: &str = r#"# the ferry, with one hand
version = 1
name = "ferry" # as on the poster
opposite = "last"

[[layer]]
name = "shift"
hold = "button 5"

[[binding]]
target = "South"   # jump
source = "button 4"
mood = "calm"

[[binding]]
target = "left trigger"
source = "Z lower half"
press = 0.6
layer = "shift"

[[target]]
name = "left trigger"
combine = "sum"

[feel]
stick_dead_zone = 0.08 # worn

[actions]
South = "jump"
"#;

#[test]
fn a_bad_line_in_a_profile_disables_only_itself() {
    let read = read("dir/ferry.profile.toml", FERRY);
    assert_eq!(read.faults.len(), 1, "{:?}", read.faults);
    assert!(
        read.faults[0].to_string().starts_with("dir/ferry.profile.toml:13:1: binding[1].mood: unknown key"),
        "{}",
        read.faults[0]
    );
    let profile = read.profile.expect("it can be used");
    assert_eq!((profile.name.as_str(), profile.opposite, profile.layers.len()), ("ferry", Opposite::Last, 1));
    assert_eq!(profile.feel.sticks.map(|shape| shape.dead_zone), [0.08; 2]);
    assert_eq!(profile.action(PadTarget::South.into()), Some("jump"));
    assert_eq!(profile.combine_of(PadTarget::LeftTrigger.into()), Combine::Sum);
    let rules: Vec<_> = profile.rules.iter().map(|rule| (rule.target, rule.layer, rule.line)).collect();
    assert_eq!(rules, [(PadTarget::South.into(), 0, 10), (PadTarget::LeftTrigger.into(), 1, 15)]);
    let press = profile.rules[1].options.press.expect("it was said");
    assert!(press.0 == 0.6 && (press.1 - 0.5).abs() < 1e-6);
}

fn folder(name: &str) -> Vec<(String, String)> {
    crate::pointed::fixtures(&format!("profiles/{name}"))
}

/// Every broken profile in the folder, with the exact words that the person gets, and how much of it still works.
#[test]
fn every_broken_profile_gets_its_exact_message() {
    let mut said = String::new();
    for (name, text) in folder("broken") {
        let read = read(&name, &text);
        assert!(!read.faults.is_empty(), "{name} is not broken");
        for fault in &read.faults {
            assert!(fault.line > 0, "{fault} has no place");
            said.push_str(&format!("{fault}\n"));
        }
        said.push_str(&match read.profile {
            Some(profile) => format!("    works: {} bindings, {} layers\n", profile.rules.len(), profile.layers.len()),
            None => "    nothing of it can be used\n".into(),
        });
    }
    insta::assert_snapshot!("broken_profiles", said);
}

#[test]
fn every_valid_profile_is_read_without_faults() {
    for (name, text) in folder("good") {
        let read = read(&name, &text);
        assert_eq!(read.faults, [], "{name}");
        assert!(read.profile.is_some_and(|profile| !profile.rules.is_empty()), "{name}");
    }
}

#[test]
fn a_change_leaves_the_rest_of_the_file_alone() {
    let text = change(
        "ferry",
        FERRY,
        &[Change::Source {
            target: PadTarget::South.into(),
            layer: String::new(),
            source: Some("button 9".into()),
            inverted: false,
        }],
    )
    .expect("changed");
    assert_eq!(text, FERRY.replace("source = \"button 4\"", "source = \"button 9\""));
    let text = change("ferry", FERRY, &[Change::DeadZone { sticks: true, thousandths: 120 }]).expect("changed");
    assert_eq!(text, FERRY.replace("0.08 # worn", "0.12 # worn"));
    let text = change("ferry", FERRY, &[Change::Action(PadTarget::South.into(), String::new())]).expect("changed");
    assert_eq!(text, FERRY.replace("South = \"jump\"\n", ""));
    let text = change("ferry", FERRY, &[Change::Name("night ferry".into())]).expect("changed");
    assert_eq!(text, FERRY.replace("name = \"ferry\" # as on", "name = \"night ferry\" # as on"));
}

/// A face is set in its place, read back as it is, and removed without a trace.
#[test]
fn a_face_is_edited_in_place() {
    let face = |rows: &[&[&str]]| Face {
        rows: rows.iter().map(|row| row.iter().map(|cell| (*cell).to_owned()).collect()).collect(),
    };
    let new = face(&[&["X + Y", "", "button \"1\""], &["button 2"]]);
    let set = |text: &str, face: &Face| change("ferry", text, &[Change::Face(face.clone())]).expect("changed");
    let text = set(FERRY, &new);
    assert!(text.contains("face = [\n  [\"X + Y\", \"\", 'button \"1\"'],\n  [\"button 2\"],\n]\n"), "{text}");
    let read_back = |text: &str| read("ferry", text).profile.expect("it is read").face;
    assert_eq!(read_back(&text), new);
    let text = set(&text, &face(&[&["hat"]]));
    assert_eq!(read_back(&text), face(&[&["hat"]]));
    assert_eq!(set(&text, &Face::default()), FERRY, "everything else is as it was");
}

#[test]
fn unreadable_files_are_not_changed() {
    let fault = change("bad", "version = 1\nname = ", &[Change::Name("x".into())]).expect_err("it is broken");
    assert_eq!((fault.line, fault.path.as_str()), (2, "bad"));
    assert!(change("bad", "version = 2\n", &[Change::Name("x".into())]).is_err());
}

#[test]
fn of_two_profiles_with_one_name_the_first_wins() {
    let directory = tempfile::tempdir().expect("a directory");
    for file in ["a.profile.toml", "b.profile.toml", ".c.profile.toml", "c.txt"] {
        std::fs::write(directory.path().join(file), "version = 1\nname = \"one\"\n").expect("written");
    }
    let (profiles, faults) = read_directory(directory.path());
    assert_eq!(profiles.len(), 1);
    assert!(profiles[0].origin.ends_with("a.profile.toml"));
    assert!(faults.len() == 1 && faults[0].to_string().contains("one is already the name of"), "{faults:?}");
}

fn setting() -> impl Strategy<Value = Setting> {
    let gate = (0..3usize).prop_map(|gate| Setting::Gate(Gate::ALL[gate].1));
    let curve = prop_oneof![
        Just(Vec::new()),
        Just(vec![(250, 120), (500, 330), (750, 620)]),
        (1u16..400, 0u16..300).prop_map(|(x, y)| vec![(x, y), (x + 300, y + 200)]),
    ];
    prop_oneof![
        (0u16..=900).prop_map(Setting::DeadZone),
        (0u16..=500).prop_map(Setting::Outer),
        (0u16..=900).prop_map(Setting::Minimum),
        (100u16..=5000).prop_map(Setting::Sensitivity),
        (0u16..=500).prop_map(Setting::Smoothing),
        curve.prop_map(Setting::Curve),
        Just(Setting::Default),
        gate,
    ]
}

proptest! {
    #[test]
    fn settings_read_back_as_set(changes in prop::collection::vec((0..TARGETS.len(), 1..30u8, any::<bool>()), 1..12)) {
        let mut text = new("drawn");
        for (target, button, clear) in &changes {
            let target = TARGETS[*target];
            let source = (!clear).then(|| format!("button {button}"));
            text = change("p", &text, &[Change::Source { target: target.into(), layer: String::new(), source: source.clone(), inverted: false }]).expect("changed");
            let read = read("p", &text);
            prop_assert_eq!(&read.faults, &[]);
            let profile = read.profile.expect("it can be used");
            let own: Vec<String> = profile.rules.iter().filter(|rule| rule.target == target).filter_map(|rule| rule.source.as_ref().map(|source| source.text())).collect();
            prop_assert_eq!(own, source.into_iter().collect::<Vec<_>>());
        }
    }

    /// Every setting of the feel is read back unchanged, and everything else stays as it was.
    #[test]
    fn feel_settings_read_back_as_set(settings in prop::collection::vec((0..20usize, setting()), 1..12)) {
        let mut text = FERRY.to_owned();
        let mut feel = read("p", &text).profile.expect("it can be used").feel;
        let usual = feel;
        // Settings of one axis; everything else is as for its stick.
        let mut own: [Vec<Setting>; 4] = Default::default();
        for (which, setting) in settings {
            let which = Shaped::all().nth(which).expect("there are twenty");
            // One-way axes are inverted in their binding, and only two-way axes in their feel.
            if matches!(setting, Setting::Invert(_)) && which.is_line() && !which.is_centred() {
                continue;
            }
            if matches!(setting, Setting::Gate(_)) && !which.is_stick() {
                continue;
            }
            text = change("p", &text, &[Change::Feel(which, setting.clone())]).expect("changed");
            match (which.is_axis(), &setting) {
                (true, Setting::Default) => own[which.axis()].clear(),
                (true, _) => own[which.axis()].push(setting.clone()),
                (false, Setting::Default) => *feel.of_mut(which) = *usual.of(which),
                (false, Setting::Invert([on, _])) if which.is_line() => feel.of_mut(which).invert = [*on, false],
                (false, _) => *feel.of_mut(which) = setting.apply(*feel.of(which)),
            }
            for (axis, said) in own.iter().enumerate() {
                let stick = feel.sticks[axis / 2];
                let apply = |shape: Shape, setting: &Setting| match (setting, axis % 2) {
                    (Setting::Invert([x, _]), 0) => Shape { invert: [*x, shape.invert[1]], ..shape },
                    (Setting::Invert([_, y]), _) => Shape { invert: [shape.invert[0], *y], ..shape },
                    _ => setting.apply(shape),
                };
                feel.axes[axis] = (!said.is_empty()).then(|| said.iter().fold(stick, apply));
            }
            let read = read("p", &text);
            prop_assert_eq!(read.faults.len(), 1, "as in the beginning: {:?}", read.faults);
            prop_assert_eq!(read.profile.expect("it can be used").feel, feel, "{}", text);
        }
        prop_assert!(text.contains("stick_dead_zone = 0.08 # worn"));
    }

    #[test]
    fn any_bytes_are_handled_without_panic(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        let read = read("p", &String::from_utf8_lossy(&bytes));
        prop_assert!(read.faults.iter().all(|fault| fault.path == "p"));
    }
}

#[test]
fn keys_and_mouse_are_targets_with_their_options() {
    let (name, text) = folder("good").into_iter().find(|(name, _)| name.ends_with("keys.profile.toml")).expect("there");
    let profile = read(&name, &text).profile.expect("it can be used");
    let strokes: Vec<_> = profile.strokes().iter().map(|stroke| stroke.name()).collect();
    assert_eq!(strokes, ["key A", "mouse up", "wheel down", "pause"]);
    assert_eq!((profile.pace.speed, profile.pace.wheel, profile.pace.dead_zone), (1500.0, 6.5, 0.2));
    let options = &profile.rules[4].options;
    assert_eq!((options.reach, options.spring), (Some(400.0), Some(mantle_core::time::Micros(0))));
    assert_eq!(options.centre.as_ref().map(|named| named.control.as_str()), Some("button 3"));
    assert_eq!(profile.rules[5].options.leave, mantle_core::binding::Leave::Hold);
    assert_eq!(profile.action(Target::named("key a").expect("a key")), Some("strafe"));
}

#[test]
fn layers_options_and_combinations_are_edited_in_place() {
    let after = |changes: &[Change]| change("ferry", FERRY, changes).expect("changed");
    let layer =
        |hold: Option<&str>, toggle| Change::Layer { name: "shift".into(), hold: hold.map(str::to_owned), toggle };
    assert_eq!(after(&[layer(Some("button 7"), false)]), FERRY.replace("button 5", "button 7"));
    let toggled = after(&[layer(Some("button 5"), true)]);
    assert_eq!(
        after(&[layer(Some("button 5"), true), layer(Some("button 5"), false)]),
        FERRY,
        "there and back: {toggled}"
    );
    let dropped = read("ferry", &after(&[layer(None, false)])).profile.expect("it can be used");
    assert_eq!((dropped.layers.len(), dropped.rules.len()), (0, 1), "what is said in it goes with it");
    let option = |which| Change::Option { target: PadTarget::LeftTrigger.into(), layer: "shift".into(), which };
    assert_eq!(after(&[option(OptionChange::Press(Some(800)))]), FERRY.replace("press = 0.6", "press = 0.8"));
    let all = [
        OptionChange::Inverted(true),
        OptionChange::Sensitivity(1500),
        OptionChange::Ramp(250),
        OptionChange::Toggle(true),
        OptionChange::Shortest(80),
    ];
    let read = read("ferry", &after(&all.map(option))).profile.expect("it can be used");
    let own = &read.rules[1].options;
    assert!(own.inverted && own.toggle && own.sensitivity == 1.5, "{own:?}");
    assert_eq!((own.ramp.0, own.shortest.0), (250_000, 80_000));
    let usual = [
        OptionChange::Inverted(false),
        OptionChange::Sensitivity(1000),
        OptionChange::Ramp(0),
        OptionChange::Toggle(false),
        OptionChange::Shortest(0),
    ];
    assert_eq!(after(&[all.map(option), usual.map(option)].concat()), FERRY, "the usual is not written");
    assert!(!after(&[option(OptionChange::Press(None))]).contains("press"));
    // Repeated presses or a row: one of them at most.
    let both = after(&[option(OptionChange::Again(80)), option(OptionChange::Row(3))]);
    let row = self::read("ferry", &both).profile.expect("it can be used").rules[1].options.clone();
    assert_eq!((row.again, row.row), (None, mantle_core::binding::usual_row(3)));
    let again = after(&[option(OptionChange::Row(3)), option(OptionChange::Again(85))]);
    let again = self::read("ferry", &again).profile.expect("it can be used").rules[1].options.clone();
    assert_eq!((again.again, again.row.len()), (Some(8.5), 0));
    assert_eq!(after(&[option(OptionChange::Again(85)), option(OptionChange::Again(0))]), FERRY);
    let combine = |how| Change::Combine(PadTarget::LeftTrigger.into(), how);
    assert_eq!(after(&[combine(Combine::Last)]), FERRY.replace("\"sum\"", "\"last\""));
    assert!(!after(&[combine(Combine::Largest)]).contains("[[target]]"));
}

#[test]
fn a_new_profile_copies_a_template_or_profile_and_overwrites_nothing() {
    let directory = tempfile::tempdir().expect("a directory");
    let keeper = Keeper { profiles: directory.path().join("profiles"), past: directory.path().join("past") };
    let make = |name: &str, from: NewFrom| keeper.act(name, "", &ProfileAct::New(from));
    let made = make("pad driving", NewFrom::Template("driving".into())).expect("made");
    assert_eq!((made.name.as_str(), made.action(PadTarget::South.into())), ("pad driving", Some("handbrake")));
    let copy = make("pad driving", NewFrom::File(made.origin.clone())).expect("made");
    assert!(copy.origin != made.origin && copy.plays_like(&made), "of the same name, in another file: {}", copy.origin);
    assert!(
        make("x", NewFrom::Template("sailing".into())).is_err_and(|why| why.contains("there is no template sailing"))
    );
    assert!(make("x", NewFrom::File("nowhere.profile.toml".into())).is_err());
    assert!(!keeper.profiles.join("x.profile.toml").exists(), "what could not be made is not there");
}

#[test]
fn surface_and_motion_options_are_read_and_edited_in_place() {
    let (name, text) =
        folder("good").into_iter().find(|(name, _)| name.ends_with("surface.profile.toml")).expect("there");
    let profile = read(&name, &text).profile.expect("it can be used");
    let of = |at: usize| &profile.rules[at].options;
    assert_eq!((of(0).reach, of(1).tap.0, of(3).region), (Some(1400.0), 200_000, Some([0.5, 0.5, 1.0, 1.0])));
    assert_eq!(of(4).threshold, 0.02);
    let target = Target::named("mouse button right").expect("there is one");
    let option = |which| Change::Option { target, layer: String::new(), which };
    let all = [
        OptionChange::Threshold(50),
        OptionChange::Tap(150),
        OptionChange::Reach(Some(900)),
        OptionChange::Spring(Some(0)),
        OptionChange::Leave(mantle_core::binding::Leave::Edge),
        OptionChange::Region(Some([0, 500, 500, 1000])),
    ];
    let changed = change(&name, &text, &all.map(option)).expect("changed");
    let read = read(&name, &changed).profile.expect("it can be used");
    let own = &read.rules[3].options;
    assert_eq!((own.threshold, own.tap.0, own.reach), (0.05, 150_000, Some(900.0)));
    assert_eq!(
        (own.spring.map(|time| time.0), own.leave.word(), own.region),
        (Some(0), "edge", Some([0.0, 0.5, 0.5, 1.0]))
    );
    let usual = [
        OptionChange::Threshold(0),
        OptionChange::Tap(0),
        OptionChange::Reach(None),
        OptionChange::Spring(None),
        OptionChange::Leave(mantle_core::binding::Leave::Centre),
        OptionChange::Region(Some([500, 500, 1000, 1000])),
    ];
    let back = change(&name, &changed, &usual.map(option)).expect("changed");
    assert_eq!(back, text.replace("[0.5, 0.5, 1, 1]", "[0.5, 0.5, 1.0, 1.0]"), "the usual is not written");
}

#[test]
fn extra_held_targets_and_profile_wide_options_are_edited_in_place() {
    use mantle_core::binding::WideChange;
    let after = |changes: &[Change]| change("ferry", FERRY, changes).expect("changed");
    let with = |named: Option<&str>| Change::With {
        target: PadTarget::LeftTrigger.into(),
        layer: "shift".into(),
        named: named.map(str::to_owned),
    };
    let held = |text: &str| {
        let rule = &read("ferry", text).profile.expect("it can be used").rules[1];
        rule.options.with.iter().map(|named| named.text()).collect::<Vec<_>>()
    };
    assert_eq!(held(&after(&[with(Some("button 2")), with(Some("hat up"))])), ["button 2", "hat up"]);
    assert_eq!(held(&after(&[with(Some("button 2")), with(Some("button 2"))])), ["button 2"], "once is enough");
    let five: Vec<Change> = (1..=5).map(|n| with(Some(&format!("button {n}")))).collect();
    assert_eq!(held(&after(&five)), ["button 1", "button 2", "button 3", "button 5"], "one more takes the last place");
    assert_eq!(after(&[with(Some("button 2")), with(None)]), FERRY, "there and back");
    let wide = [
        WideChange::OppositeLast(true),
        WideChange::Turn { right: true, degrees: -45 },
        WideChange::Speed(2500),
        WideChange::Wheel(75),
    ];
    let text = after(&wide.map(Change::Wide));
    let profile = read("ferry", &text).profile.expect("it can be used");
    assert_eq!((profile.opposite, profile.turn[1]), (Opposite::Last, -45.0));
    assert_eq!((profile.pace.speed, profile.pace.wheel), (2500.0, 7.5));
    let back = [WideChange::OppositeLast(false), WideChange::Turn { right: true, degrees: 0 }].map(Change::Wide);
    let text = change("ferry", &text, &back).expect("changed");
    assert!(!text.contains("opposite") && !text.contains("turn = -45"), "{text}");
}
