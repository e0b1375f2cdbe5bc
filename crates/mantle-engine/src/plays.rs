//! What a device's control does: what it plays, in which layer, and what it holds.

use mantle_core::binding::{Profile, Target};
use mantle_core::control::{Control, ControlNumber};
use mantle_core::pad::{PadModel, PadTarget};
use mantle_core::session::Member;

/// Groups named as one if all of a group is there.
const GROUPS: [(&str, &[PadTarget]); 7] = [
    ("d-pad", &[PadTarget::Up, PadTarget::Down, PadTarget::Left, PadTarget::Right]),
    (
        "left stick",
        &[PadTarget::LeftStickUp, PadTarget::LeftStickDown, PadTarget::LeftStickLeft, PadTarget::LeftStickRight],
    ),
    (
        "right stick",
        &[PadTarget::RightStickUp, PadTarget::RightStickDown, PadTarget::RightStickLeft, PadTarget::RightStickRight],
    ),
    ("left stick", &[PadTarget::LeftStickLeft, PadTarget::LeftStickRight]),
    ("left stick", &[PadTarget::LeftStickUp, PadTarget::LeftStickDown]),
    ("right stick", &[PadTarget::RightStickLeft, PadTarget::RightStickRight]),
    ("right stick", &[PadTarget::RightStickUp, PadTarget::RightStickDown]),
];

fn grouped(mut targets: Vec<Target>, model: &PadModel) -> String {
    targets.dedup();
    if !model.is_written_as_common() {
        return by_names(&targets, model);
    }
    let mut names = Vec::new();
    for (name, group) in GROUPS {
        if group.iter().all(|own| targets.iter().any(|target| target == own)) {
            targets.retain(|target| !group.iter().any(|own| target == own));
            names.push(name);
        }
    }
    names.extend(targets.iter().map(|target| target.name()));
    names.join(", ")
}

/// The same for other kinds of pad: both directions of an axis, or all of a hat, are named as one.
fn by_names(targets: &[Target], model: &PadModel) -> String {
    let both = |low, high| [low, high].iter().all(|end| targets.iter().any(|target| target == end));
    let whole = |target: &Target| {
        let name = target.name_on(model);
        let end =
            [" minus", " plus", " up", " down", " left", " right"].into_iter().find_map(|end| name.strip_suffix(end));
        end.filter(|_| target.opposed().is_some_and(|(low, high)| both(low, high))).unwrap_or(name)
    };
    let mut names: Vec<&str> = targets.iter().map(whole).collect();
    names.dedup();
    names.join(", ")
}

/// What a control does, in words; empty if nothing.
pub(crate) fn words(profile: &Profile, member: &Member, control: &Control, model: &PadModel) -> String {
    if member.held().any(|own| own.number == control.number) {
        return "held off: not at rest yet".into();
    }
    let of_layer = |layer: u8, number: ControlNumber| {
        let own = member.bindings.list.iter().filter(move |one| one.layer == layer && one.control == number);
        own.map(|binding| binding.target).collect::<Vec<_>>()
    };
    let mut words = Vec::new();
    let base = of_layer(0, control.number);
    if !base.is_empty() {
        words.push(grouped(base, model));
    }
    let wholes = member.bindings.wholes.iter().filter(|whole| whole.controls.contains(&control.number));
    words.extend(wholes.map(|whole| model.name_of(whole.target).to_owned()));
    for (at, layer) in profile.layers.iter().enumerate() {
        if layer.hold.control.eq_ignore_ascii_case(&control.name) {
            words.push(format!("{} {}", if layer.toggle { "switches" } else { "held for" }, layer.name));
        }
        let own = of_layer(at as u8 + 1, control.number);
        if !own.is_empty() {
            words.push(format!("in {}: {}", layer.name, grouped(own, model)));
        }
    }
    for rule in &profile.rules {
        if rule.options.with.iter().any(|named| named.control.eq_ignore_ascii_case(&control.name)) {
            words.push(format!("held for {}", rule.target.name_on(model)));
        }
    }
    words.join("; ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::binding::{Layer, Named, Options, Rule};
    use mantle_core::control::Layout;
    use mantle_core::device::Key;
    use mantle_hid::Descriptor;

    /// 8 buttons, a hat, X.
    const PAD: &[u8] = &[
        0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
        0x95, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x39, 0x25, 0x07, 0x75, 0x08, 0x95, 0x01, 0x81, 0x42, 0x09, 0x30,
        0x26, 0xff, 0x00, 0x81, 0x02, 0xc0,
    ];

    #[test]
    fn everything_a_control_does_is_listed() {
        let layout = Layout::new(&Descriptor::parse(PAD).expect("a good descriptor"));
        let part = &layout.parts[0];
        let rule = |target: Target, source: &str, layer: usize, with: &[&str]| Rule {
            target,
            source: Some(Named::parse(source)),
            layer,
            line: 1,
            options: Options { with: with.iter().map(|name| Named::parse(name)).collect(), ..Options::default() },
        };
        let profile = Profile {
            layers: vec![Layer { name: "shift".into(), hold: Named::parse("button 5"), toggle: false }],
            rules: vec![
                rule(PadTarget::East.into(), "button 1", 1, &[]),
                rule(PadTarget::Mode.into(), "button 8", 0, &["button 7"]),
                rule(PadTarget::South.into(), "button 2", 0, &[]),
                rule(PadTarget::North.into(), "button 2", 0, &[]),
            ],
            ..Profile::plain("ferry", Default::default())
        };
        let mut member = Member::absent(Key::default());
        member.attach(
            part,
            &profile,
            &mantle_core::pad::PadModel::default(),
            mantle_core::binding::Beside::default(),
            None,
        );
        let says = |name: &str| {
            let control = part.controls.iter().find(|control| control.name == name).expect("it is there");
            words(&profile, &member, control, &PadModel::default())
        };
        let names = ["button 2", "button 1", "button 5", "button 8", "button 7", "hat", "X"];
        assert_eq!(
            names.map(says),
            [
                "South, North",
                "in shift: East",
                "held for shift",
                "Mode",
                "left trigger; held for Mode",
                "d-pad",
                "left stick"
            ]
        );
    }
}
