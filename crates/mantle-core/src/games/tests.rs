use super::pattern::fits;
use super::*;
use proptest::prelude::*;

/// What a pattern matches, by trying everything.
fn plainly(pattern: &[char], text: &[char]) -> bool {
    match pattern.split_first() {
        None => text.is_empty(),
        Some(('*', rest)) => (0..=text.len()).any(|taken| plainly(rest, &text[taken..])),
        Some((one, rest)) => text
            .split_first()
            .is_some_and(|(first, behind)| (*one == '?' || one.eq_ignore_ascii_case(first)) && plainly(rest, behind)),
    }
}

proptest! {
    #[test]
    fn patterns_agree_with_brute_force(pattern in "[ab?*é]{0,8}", text in "[abBé]{0,8}") {
        let chars = |text: &str| text.chars().collect::<Vec<_>>();
        prop_assert_eq!(fits(&pattern, &text), plainly(&chars(&pattern), &chars(&text)));
    }
}

/// A pattern of many stars does not take for ever.
#[test]
fn a_near_match_is_rejected_quickly() {
    let text = "a".repeat(4_000);
    assert!(!fits(&format!("{}b", "a*".repeat(100)), &text));
    assert!(fits(&"a*".repeat(100), &text));
}

fn crane() -> RunningProgram {
    RunningProgram {
        pid: 612,
        started: 1,
        names: vec!["python3.11".into(), "crane.py".into()],
        path: "/usr/bin/python3.11".into(),
        arguments: vec!["python3".into(), "/srv/games/crane.py".into(), "--level=2".into()],
    }
}

#[test]
fn a_rule_matches_a_program_with_all_its_criteria() {
    let rule = |signs: &[GameSign]| GameRule { signs: signs.to_vec(), ..GameRule::default() };
    let (program, path) = (|text: &str| GameSign::Program(text.into()), |text: &str| GameSign::Path(text.into()));
    let argument = |text: &str| GameSign::Argument(text.into());
    for (signs, is_for) in [
        (vec![program("crane.py")], true),
        (vec![program("CRANE*")], true),
        (vec![program("python3*")], true),
        (vec![program("crane")], false),
        (vec![path("/usr/bin/*")], true),
        (vec![path("python3.11")], false),
        (vec![argument("*/games/*")], true),
        (vec![argument("--level=?")], true),
        (vec![program("crane.py"), argument("--level=3")], false),
        (vec![program("crane.py"), path("*/python*"), argument("--level=2")], true),
        (vec![GameSign::Process(612)], true),
        (vec![GameSign::Process(613)], false),
        (vec![], false),
    ] {
        assert_eq!(rule(&signs).is_for(&crane()), is_for, "{signs:?}");
    }
    assert_eq!(rule(&[program("crane.py"), argument("--level=2")]).words(), "program crane.py and argument --level=2");
}
