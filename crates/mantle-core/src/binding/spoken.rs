//! Understands a few words or a number: a control, four controls for the four directions of a stick, or a whole
//! written list of numbers.

use super::{Named, Target};
use crate::control::ControlKind;
use crate::keys::KeyTarget;
use crate::pad::PadTarget;

/// A control as the person sees it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct SeenControl<'a> {
    /// Its name.
    pub name: &'a str,
    /// Its kind in a word, as [`ControlKind::word`] gives it.
    pub kind: &'a str,
    /// Its number.
    pub number: u16,
}

impl SeenControl<'_> {
    fn is(&self, kind: ControlKind) -> bool {
        self.kind == kind.word()
    }

    fn is_called(&self, name: &str) -> bool {
        self.name.eq_ignore_ascii_case(name)
    }
}

/// The one control that a text means, and which part of it: by name; by number ("14" is button 14 or, failing that, the
/// control with that number in the list); by kind and place ("axis 4" is the fourth axis of the list); or by part of a name.
///
/// # Errors
/// The names it could mean; empty if it means none.
pub fn spoken(controls: &[SeenControl<'_>], text: &str) -> Result<Named, Vec<String>> {
    let lower = text.trim().to_lowercase();
    let named = Named::parse(&lower);
    let of = |control: &SeenControl<'_>, part| Named { control: control.name.to_owned(), part };
    let exact = |name: &str| controls.iter().find(|control| control.is_called(name));
    // First without splitting off a suffix, since a control's name may end like one.
    if let Some(own) = exact(&lower) {
        return Ok(of(own, None));
    }
    if let Some(own) = exact(&named.control).or_else(|| counted(controls, &named.control)) {
        return Ok(of(own, named.part));
    }
    let fits: Vec<&SeenControl<'_>> =
        controls.iter().filter(|control| control.name.to_lowercase().contains(&named.control)).collect();
    match fits.as_slice() {
        [one] => Ok(of(one, named.part)),
        several => Err(several.iter().map(|control| control.name.to_owned()).collect()),
    }
}

fn counted<'a>(controls: &'a [SeenControl<'a>], text: &str) -> Option<&'a SeenControl<'a>> {
    if let Ok(number) = text.parse::<u16>() {
        let button = format!("button {number}");
        let by_number = || controls.iter().find(|control| control.number == number);
        return controls.iter().find(|control| control.is_called(&button)).or_else(by_number);
    }
    let (kind, number) = text.rsplit_once(' ')?;
    let place = number.trim().parse::<usize>().ok()?.checked_sub(1)?;
    controls.iter().filter(|control| control.kind == kind.trim()).nth(place)
}

/// Four controls, or parts of controls, for four directions.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Block {
    /// Its name.
    pub name: String,
    /// The sources as profiles write them: up, down, left, right.
    pub sources: [String; 4],
}

impl Block {
    fn new(name: impl Into<String>, sources: [String; 4]) -> Self {
        Self { name: name.into(), sources }
    }

    fn of_axes(across: &str, along: &str) -> Self {
        let half = |axis: &str, half| format!("{axis} {half} half");
        let sources = [half(along, "lower"), half(along, "upper"), half(across, "lower"), half(across, "upper")];
        Self::new(format!("{across} and {along}"), sources)
    }
}

/// Keys that form a block: up, down, left, right.
const KEY_BLOCKS: [(&str, [&str; 4]); 5] = [
    ("W A S D", ["key W", "key S", "key A", "key D"]),
    ("the arrow keys", ["key up arrow", "key down arrow", "key left arrow", "key right arrow"]),
    ("I J K L", ["key I", "key K", "key J", "key L"]),
    ("8 4 2 6 of the number pad", ["keypad 8", "keypad 2", "keypad 4", "keypad 6"]),
    ("the d-pad", ["d-pad up", "d-pad down", "d-pad left", "d-pad right"]),
];

/// Four targets for the four directions of one thing, with a name.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct TargetBlock {
    /// Its name.
    pub name: String,
    /// Up, down, left, right.
    pub targets: [Target; 4],
}

/// The directions of the pointer.
const POINTER: (&str, [&str; 4]) = ("the pointer", ["mouse up", "mouse down", "mouse left", "mouse right"]);

/// Blocks of typed keys, and the pointer.
pub fn typed_blocks() -> impl Iterator<Item = TargetBlock> {
    KEY_BLOCKS.into_iter().chain([POINTER]).filter_map(|(name, keys)| {
        let keys: Vec<Target> = keys.iter().filter_map(|key| KeyTarget::named(key).map(Target::Key)).collect();
        Some(TargetBlock { name: name.to_owned(), targets: keys.try_into().ok()? })
    })
}

/// The block a target belongs to: a stick, the d-pad, a hat, the four buttons, neighbouring keys; none if it belongs to none.
#[must_use]
pub fn block_of(target: Target) -> Option<TargetBlock> {
    use PadTarget::{Down, East, Hat, Left, LeftStickDown, LeftStickLeft, LeftStickRight, LeftStickUp, North};
    use PadTarget::{Right, RightStickDown, RightStickLeft, RightStickRight, RightStickUp, South, Up, West};
    let own = match target {
        Target::Key(_) => return typed_blocks().find(|block| block.targets.contains(&target)),
        Target::Pad(own) => own,
    };
    let known = [
        ("the left stick", [LeftStickUp, LeftStickDown, LeftStickLeft, LeftStickRight]),
        ("the right stick", [RightStickUp, RightStickDown, RightStickLeft, RightStickRight]),
        ("the d-pad", [Up, Down, Left, Right]),
        ("the four buttons", [North, South, West, East]),
    ];
    let (name, targets) = match own {
        Hat(number, _) => (format!("hat {number}"), [0, 1, 2, 3].map(|way| Hat(number, way))),
        _ => known.into_iter().find(|(_, all)| all.contains(&own)).map(|(name, all)| (name.to_owned(), all))?,
    };
    Some(TargetBlock { name, targets: targets.map(Target::Pad) })
}

/// Pairs of axes, in the order in which they are tried.
const PAIRS: [(&str, &str); 4] = [("X", "Y"), ("Z", "Rz"), ("Rx", "Ry"), ("Rz", "Z")];

/// The blocks that a device's controls form, likely ones first.
#[must_use]
pub fn blocks(controls: &[SeenControl<'_>]) -> Vec<Block> {
    let has = |name: &str| controls.iter().find(|control| control.is_called(name));
    let mut all = Vec::new();
    let mut pairs: Vec<(&str, &str)> = Vec::new();
    for kind in [ControlKind::Axis, ControlKind::Relative, ControlKind::Pointer, ControlKind::Contact] {
        let of: Vec<&SeenControl<'_>> = controls.iter().filter(|control| control.is(kind)).collect();
        let known = PAIRS
            .iter()
            .take(3)
            .filter(|(one, two)| [one, two].iter().all(|name| of.iter().any(|control| control.is_called(name))));
        pairs.extend(known);
        // On an odd device any two of a kind may belong together, in the order of the list.
        let any = of.iter().enumerate().flat_map(|(at, one)| of[at + 1..].iter().map(move |two| (one.name, two.name)));
        pairs.extend(any.collect::<Vec<_>>());
    }
    let mut taken: Vec<(&str, &str)> = Vec::new();
    for pair in pairs {
        if !taken.contains(&pair) && !taken.contains(&(pair.1, pair.0)) {
            taken.push(pair);
        }
    }
    let likely = PAIRS.len().min(taken.len());
    all.extend(taken[..likely].iter().map(|(across, along)| Block::of_axes(across, along)));
    for hat in controls.iter().filter(|control| control.is(ControlKind::Hat)) {
        all.push(Block::new(hat.name, ["up", "down", "left", "right"].map(|way| format!("{} {way}", hat.name))));
    }
    for (name, keys) in KEY_BLOCKS {
        let own: Vec<String> = keys.iter().filter_map(|key| Some(has(key)?.name.to_owned())).collect();
        if let Ok(sources) = <[String; 4]>::try_from(own) {
            all.push(Block::new(name, sources));
        }
    }
    let numbers: Vec<u16> = controls
        .iter()
        .filter(|control| control.is(ControlKind::Button))
        .filter_map(|control| control.name.strip_prefix("button ")?.parse().ok())
        .collect();
    for first in numbers.iter().copied() {
        let row: Vec<u16> = (first..first.saturating_add(4)).filter(|number| numbers.contains(number)).collect();
        if let Ok([a, b, c, d]) = <[u16; 4]>::try_from(row) {
            let button = |number| format!("button {number}");
            all.push(Block::new(
                format!("buttons {a} to {d}: up, down, left, right"),
                [button(a), button(b), button(c), button(d)],
            ));
            all.push(Block::new(
                format!("buttons {a} to {d}: up, right, down, left"),
                [button(a), button(c), button(d), button(b)],
            ));
        }
    }
    all.extend(taken[likely..].iter().map(|(across, along)| Block::of_axes(across, along)));
    all
}

/// A target with its names.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct SeenTarget<'a> {
    /// The target.
    pub target: Target,
    /// Its name on this kind of pad.
    pub name: &'a str,
    /// The person's name for it, and what games print.
    pub own: [Option<&'a str>; 2],
}

/// One entry of a written list.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum ListEntry {
    /// This source plays this target.
    Binding(Target, Named),
    /// The entry leaves this target as it is.
    Skipped(Target),
    /// The entry means nothing here, and why.
    Fault(String),
}

/// Reads a list of what plays what: entries separated by commas, semicolons or line ends, or numbers separated by blanks.
///
/// An entry is a source for the next target in order, `-` to leave that target out, or `target = source`. Buttons count
/// from 1, or from 0 if the list contains a 0 or `from_zero` says so.
#[must_use]
pub fn read_list(
    text: &str,
    targets: &[SeenTarget<'_>],
    controls: &[SeenControl<'_>],
    from_zero: bool,
) -> (Vec<ListEntry>, bool) {
    let parts: Vec<&str> = text.split([',', ';', '\n', '\r']).map(str::trim).filter(|part| !part.is_empty()).collect();
    let bare = |part: &&str| part.split_whitespace().all(|word| word == "-" || word.parse::<u16>().is_ok());
    let entries: Vec<&str> = parts
        .into_iter()
        .flat_map(|part| if bare(&part) { part.split_whitespace().collect() } else { vec![part] })
        .collect();
    let source_of =
        |entry: &str| entry.split_once(['=', ':', '←']).map_or(entry, |(_, source)| source).trim().to_owned();
    let zero = |entry: &&str| matches!(source_of(entry).to_lowercase().as_str(), "0" | "button 0");
    let from_zero = from_zero || entries.iter().any(zero);
    let mut next = 0;
    let mut read = |entry: &str| -> ListEntry {
        let (target, source) = match entry.split_once(['=', ':', '←']) {
            Some((name, source)) => match target_of(targets, name.trim()) {
                Ok(at) => {
                    next = at + 1;
                    (targets[at].target, source.trim())
                }
                Err(why) => return ListEntry::Fault(why),
            },
            None => match targets.get(next) {
                Some(seen) => {
                    next += 1;
                    (seen.target, entry)
                }
                None => {
                    return ListEntry::Fault(format!(
                        "\"{entry}\" is one too many: the pad has {} controls",
                        targets.len()
                    ));
                }
            },
        };
        if source == "-" {
            return ListEntry::Skipped(target);
        }
        let lower = source.to_lowercase();
        let number = lower.strip_prefix("button ").unwrap_or(&lower).trim().parse::<u16>().ok();
        let counted = number.filter(|_| from_zero).map(|number| format!("button {}", u32::from(number) + 1));
        match spoken(controls, counted.as_deref().unwrap_or(source)) {
            Ok(named) => ListEntry::Binding(target, named),
            Err(several) if several.is_empty() => ListEntry::Fault(match counted {
                Some(button) => format!("\"{source}\" would be {button}: the device has no such control"),
                None => format!("the device has no control \"{source}\""),
            }),
            Err(several) => {
                let first: Vec<&str> = several.iter().take(4).map(String::as_str).collect();
                ListEntry::Fault(format!("\"{source}\" could be {}", first.join(", ")))
            }
        }
    };
    let all = entries.into_iter().map(&mut read).collect();
    (all, from_zero)
}

/// The index of the target that a name means.
fn target_of(targets: &[SeenTarget<'_>], name: &str) -> Result<usize, String> {
    let lower = name.to_lowercase();
    let is = |own: &str| own.to_lowercase() == lower;
    let exact = targets
        .iter()
        .position(|seen| is(seen.name))
        .or_else(|| targets.iter().position(|seen| seen.own.iter().flatten().any(|own| is(own))));
    if let Some(at) = exact {
        return Ok(at);
    }
    let fits: Vec<usize> = (0..targets.len()).filter(|at| targets[*at].name.to_lowercase().contains(&lower)).collect();
    match fits.as_slice() {
        [at] => Ok(*at),
        [] => Err(format!("the pad has no control \"{name}\"")),
        several => {
            let names: Vec<&str> = several.iter().take(4).map(|at| targets[*at].name).collect();
            Err(format!("\"{name}\" could be {}", names.join(", ")))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const fn seen(name: &'static str, kind: &'static str, number: u16) -> SeenControl<'static> {
        SeenControl { name, kind, number }
    }

    const PAD: [SeenControl<'static>; 12] = [
        seen("button 1", "button", 0),
        seen("button 2", "button", 1),
        seen("button 3", "button", 2),
        seen("button 4", "button", 3),
        seen("button 14", "button", 4),
        seen("hat", "hat", 5),
        seen("X", "axis", 6),
        seen("Y", "axis", 7),
        seen("Z", "axis", 8),
        seen("Rz", "axis", 9),
        seen("slider", "axis", 10),
        seen("wheel", "relative", 11),
    ];

    fn means(text: &str) -> Option<String> {
        spoken(&PAD, text).ok().map(|named| named.text())
    }

    #[test]
    fn a_control_is_found_by_name_number_or_position() {
        assert_eq!(means("14").as_deref(), Some("button 14"));
        assert_eq!(means("Button 14").as_deref(), Some("button 14"));
        assert_eq!(means("axis 4").as_deref(), Some("Rz"));
        assert_eq!(means("axis 4 lower half").as_deref(), Some("Rz lower half"));
        assert_eq!(means("hat left").as_deref(), Some("hat left"));
        assert_eq!(means("slid").as_deref(), Some("slider"));
        assert_eq!(means("8").as_deref(), Some("Z"), "no button 8: the control of that number");
        assert_eq!(means("axis 9"), None);
        assert_eq!(spoken(&PAD, "button").map_err(|all| all.len()), Err(5));
        assert_eq!(spoken(&PAD, "pedal"), Err(vec![]));
    }

    #[test]
    fn a_block_is_a_run_of_axes_hats_keys_or_buttons() {
        let all = blocks(&PAD);
        let names: Vec<&str> = all.iter().map(|block| block.name.as_str()).collect();
        assert_eq!(names[0], "X and Y");
        assert_eq!(all[0].sources, ["Y lower half", "Y upper half", "X lower half", "X upper half"].map(String::from));
        assert_eq!(names[1], "Z and Rz");
        assert!(names.contains(&"hat") && names.contains(&"X and slider"));
        assert!(names.contains(&"buttons 1 to 4: up, down, left, right"));
        let keys =
            ["key W", "key A", "key S", "key D", "key Q"].map(|name| SeenControl { name, kind: "key", number: 0 });
        let all = blocks(&keys);
        assert_eq!(all.len(), 1);
        assert_eq!(all[0].sources, ["key W", "key S", "key A", "key D"].map(String::from));
    }

    fn targets() -> [SeenTarget<'static>; 4] {
        let seen = |target, name, own| SeenTarget { target: Target::Pad(target), name, own };
        [
            seen(PadTarget::South, "South", [Some("jump"), Some("A")]),
            seen(PadTarget::East, "East", [None, Some("B")]),
            seen(PadTarget::LeftShoulder, "left shoulder", [None, None]),
            seen(PadTarget::LeftTrigger, "left trigger", [None, None]),
        ]
    }

    fn list(text: &str) -> Vec<String> {
        let targets = targets();
        let name = |target| targets.iter().find(|seen| seen.target == target).map_or("", |seen| seen.name);
        let words = |entry: &ListEntry| match entry {
            ListEntry::Binding(target, named) => format!("{} ← {}", name(*target), named.text()),
            ListEntry::Skipped(target) => format!("{} –", name(*target)),
            ListEntry::Fault(why) => why.clone(),
        };
        read_list(text, &targets, &PAD, false).0.iter().map(words).collect()
    }

    #[test]
    fn a_list_fills_targets_in_order_or_by_name() {
        assert_eq!(
            list("2 1 - 14"),
            ["South ← button 2", "East ← button 1", "left shoulder –", "left trigger ← button 14"]
        );
        assert_eq!(
            list("jump = 3, B: axis 4, left t = slider"),
            ["South ← button 3", "East ← Rz", "left trigger ← slider"]
        );
        assert_eq!(list("0,1"), ["South ← button 1", "East ← button 2"], "with a 0 in it, it counts from 0");
        assert_eq!(list("East=2\nhat up"), ["East ← button 2", "left shoulder ← hat up"], "and goes on from there");
        assert_eq!(list("left = 1"), ["\"left\" could be left shoulder, left trigger"]);
        assert_eq!(list("77"), ["the device has no control \"77\""]);
        assert_eq!(
            list("1 2 3 4 1"),
            [
                "South ← button 1",
                "East ← button 2",
                "left shoulder ← button 3",
                "left trigger ← button 4",
                "\"1\" is one too many: the pad has 4 controls"
            ]
        );
    }

    proptest! {
        #[test]
        fn any_list_parses_entry_by_entry(text in "[a-z0-9=:,; \\-\n]{0,60}", from_zero: bool) {
            let (entries, _) = read_list(&text, &targets(), &PAD, from_zero);
            for entry in entries {
                if let ListEntry::Binding(_, named) = entry {
                    prop_assert!(PAD.iter().any(|control| control.name == named.control));
                }
            }
        }

        #[test]
        fn block_sources_are_controls_of_the_device(pick in proptest::collection::vec(0..PAD.len(), 0..12)) {
            let own: Vec<SeenControl<'_>> = pick.into_iter().map(|at| PAD[at]).collect();
            for source in blocks(&own).iter().flat_map(|block| &block.sources) {
                let named = Named::parse(source);
                prop_assert!(own.iter().any(|control| control.name == named.control || control.name == *source));
            }
        }
    }
}
