//! Options of bindings, and layers: listed, chosen, stepped.

use mantle_talk::{BindingRow, Combine, ControlKind, Leave, OptionChange, OptionsView, PadTarget, Target, WideChange};

/// An option of a binding, in the order of the list.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Choice {
    /// Whether it is inverted.
    Inverted,
    /// The share from which it counts as pressed.
    Press,
    /// The factor for its share.
    Sensitivity,
    /// The time from rest to full.
    Ramp,
    /// Whether presses toggle it.
    Toggle,
    /// The shortest press.
    Shortest,
    /// Presses per second while it is held.
    Again,
    /// The number of presses that one press plays.
    Row,
    /// The share below which it gives nothing.
    Threshold,
    /// Whether it counts only as a tap.
    Tap,
    /// The part of the surface that counts.
    Region,
    /// How far a full deflection is.
    Reach,
    /// How fast it springs back.
    Spring,
    /// What happens when the finger leaves the surface.
    Leave,
    /// What has to be held as well.
    With,
    /// How several sources combine.
    Combine,
    /// How opposite directions combine, in the whole profile.
    Opposite,
    /// How far the stick is turned.
    Turn,
    /// The speed of the pointer.
    Speed,
    /// The speed of the wheel.
    Wheel,
}

/// What a typed value changes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum TypedOption {
    /// An option of the binding.
    One(OptionChange),
    /// A setting of the whole profile.
    Wide(WideChange),
    /// How several sources combine.
    Together(Combine),
}

/// Parts of a surface that can be stepped through; others can be written in the file.
const REGIONS: [(&str, [u16; 4]); 7] = [
    ("left half", [0, 0, 500, 1000]),
    ("right half", [500, 0, 1000, 1000]),
    ("upper half", [0, 0, 1000, 500]),
    ("lower half", [0, 500, 1000, 1000]),
    ("lower left", [0, 500, 500, 1000]),
    ("lower right", [500, 500, 1000, 1000]),
    ("upper right", [500, 0, 1000, 500]),
];

impl Choice {
    /// All options, in the order of the list.
    const ALL: [Self; 20] = [
        Self::Inverted,
        Self::Press,
        Self::Sensitivity,
        Self::Threshold,
        Self::Ramp,
        Self::Toggle,
        Self::Shortest,
        Self::Again,
        Self::Row,
        Self::Tap,
        Self::Region,
        Self::Reach,
        Self::Spring,
        Self::Leave,
        Self::With,
        Self::Combine,
        Self::Opposite,
        Self::Turn,
        Self::Speed,
        Self::Wheel,
    ];

    /// The options that make sense for this source on this target, plus those that are set anyway.
    pub fn of(own: &OptionsView, target: Target) -> Vec<Self> {
        Self::ALL.into_iter().filter(|choice| choice.suits(own, target)).collect()
    }

    fn suits(self, own: &OptionsView, target: Target) -> bool {
        let place = matches!(own.kind, ControlKind::Pointer | ControlKind::Contact) && own.travels;
        let counts = own.kind == ControlKind::Relative;
        // A source that moves the pointer is neither pressed nor positioned.
        let draws = target.is_key() && target.travels() && own.kind.is_wide() && own.travels;
        match self {
            Self::Inverted | Self::Sensitivity | Self::With | Self::Combine => true,
            Self::Opposite => target.direction().is_some() && !target.is_key(),
            Self::Turn => target.pad().is_some_and(PadTarget::is_stick),
            Self::Speed => !draws && target.name().starts_with("mouse ") && target.travels(),
            Self::Wheel => !draws && target.name().starts_with("wheel "),
            Self::Press | Self::Ramp | Self::Toggle | Self::Shortest => !draws,
            Self::Again | Self::Row => !draws && own.tap == 0 || own.again != 0 || own.row.0 != 0,
            Self::Threshold => own.travels && !counts && !(draws && place) || own.threshold != 0,
            Self::Tap => !own.travels && own.again == 0 && own.row.0 == 0 || own.tap != 0,
            Self::Region => !own.travels && own.surface || own.region.is_some(),
            Self::Reach => counts && !draws || draws && !counts || own.reach.is_some(),
            Self::Spring => counts && !draws || own.spring.is_some(),
            Self::Leave => place && !draws || own.leave != Leave::Centre,
        }
    }

    /// Its name, as profiles write it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Inverted => "inverted",
            Self::Press => "press",
            Self::Sensitivity => "sensitivity",
            Self::Ramp => "ramp",
            Self::Toggle => "toggle",
            Self::Shortest => "shortest",
            Self::Again => "again",
            Self::Row => "row",
            Self::Threshold => "threshold",
            Self::Tap => "tap",
            Self::Region => "region",
            Self::Reach => "reach",
            Self::Spring => "spring",
            Self::Leave => "leave",
            Self::With => "with",
            Self::Opposite => "opposites",
            Self::Turn => "stick turned",
            Self::Speed => "pointer",
            Self::Wheel => "wheel",
            Self::Combine => "several",
        }
    }

    /// Its value in words.
    pub fn value(self, own: &OptionsView, combine: Combine, target: Target) -> String {
        let yes = |on: bool| if on { "yes" } else { "no" }.to_owned();
        let millis = |time: u16| if time == 0 { "off".to_owned() } else { format!("{time} ms") };
        match self {
            Self::Inverted => yes(own.inverted),
            Self::Press => own.press.map_or("default".into(), |press| format!("from {} %", press / 10)),
            Self::Sensitivity => format!("× {:.2}", f32::from(own.sensitivity) / 1000.0),
            Self::Ramp => millis(own.ramp),
            Self::Toggle => yes(own.toggle),
            Self::Shortest => millis(own.shortest),
            Self::Again if own.again == 0 => "no: held".into(),
            Self::Again => format!("{} a second", f32::from(own.again) / 10.0),
            Self::Row => match own.row {
                (0, _) => "no".into(),
                (presses, true) => format!("{presses} presses"),
                (presses, false) => format!("{presses}, as in the file"),
            },
            Self::Threshold if own.threshold == 0 => "off".into(),
            Self::Threshold => format!("{:.1} %", f32::from(own.threshold) / 10.0),
            Self::Tap if own.tap == 0 => "no".into(),
            Self::Tap => format!("within {} ms", own.tap),
            Self::Region => match own.region {
                None => "everywhere".into(),
                Some(edges) => match REGIONS.iter().find(|(_, known)| *known == edges) {
                    Some((name, _)) => (*name).into(),
                    None => "as in the file".into(),
                },
            },
            Self::Reach => own.reach.map_or("default".into(), |reach| format!("{reach} counts")),
            Self::Spring => match own.spring {
                None => "default".into(),
                Some(0) => "none: it stays".into(),
                Some(time) => format!("{time} ms"),
            },
            Self::Leave => own.leave.word().into(),
            Self::With => match own.with {
                0 => "nothing: + adds".into(),
                1 => "1 control".into(),
                n => format!("{n} controls"),
            },
            Self::Opposite => if own.wide.opposite_last { "the last one" } else { "neither" }.into(),
            Self::Turn => format!("{}°", own.wide.turn[usize::from(is_right(target))]),
            Self::Speed => format!("{} a second", own.wide.speed),
            Self::Wheel => format!("{:.1} a second", f32::from(own.wide.wheel) / 10.0),
            Self::Combine => match combine {
                Combine::Largest => "the largest",
                Combine::Sum => "their sum",
                Combine::Last => "the last one",
            }
            .into(),
        }
    }

    /// One step up or down, as a change; none for how sources combine, which is not an option of one source.
    pub fn step(self, own: &OptionsView, up: bool) -> Option<OptionChange> {
        let by = |value: u16, step: i32, low: i32, high: i32| {
            (i32::from(value) + if up { step } else { -step }).clamp(low, high) as u16
        };
        Some(match self {
            Self::Inverted => OptionChange::Inverted(up),
            Self::Toggle => OptionChange::Toggle(up),
            // Below the lowest value comes the default.
            Self::Press => OptionChange::Press(match own.press {
                None if up => Some(500),
                None => None,
                Some(press) if !up && press <= 50 => None,
                Some(press) => Some(by(press, 50, 50, 1000)),
            }),
            Self::Sensitivity => OptionChange::Sensitivity(by(own.sensitivity, 50, 50, 20_000)),
            Self::Ramp => OptionChange::Ramp(by(own.ramp, 40, 0, 10_000)),
            Self::Shortest => OptionChange::Shortest(by(own.shortest, 20, 0, 10_000)),
            Self::Again if own.again == 0 && up => OptionChange::Again(50),
            Self::Again => OptionChange::Again(by(own.again, 10, 0, 300)),
            // Without a row, a press plays once.
            Self::Row => OptionChange::Row(match (own.row.0, up) {
                (0 | 1, true) => 2,
                (0..=2, false) => 0,
                (presses, true) => (presses + 1).min(16),
                (presses, false) => presses - 1,
            }),
            Self::Threshold => OptionChange::Threshold(by(own.threshold, 5, 0, 900)),
            Self::Tap => OptionChange::Tap(by(own.tap, 50, 0, 2_000)),
            Self::Region => {
                let at = own.region.map(|edges| REGIONS.iter().position(|(_, known)| *known == edges).unwrap_or(0));
                OptionChange::Region(turned(REGIONS.len(), at, up).map(|at| REGIONS[at].1))
            }
            // The default depends on the target; steps begin where most defaults are.
            Self::Reach => OptionChange::Reach(Some(match own.reach {
                None => 120,
                Some(reach) if up => (reach + (reach / 10).max(1)).min(100_000),
                Some(reach) => (reach - (reach / 11).max(1).min(reach)).max(1),
            })),
            Self::Spring => OptionChange::Spring(match own.spring {
                None => Some(if up { 120 } else { 80 }),
                Some(time) => Some(by(time, 20, 0, 10_000)),
            }),
            Self::Leave => {
                let all = Leave::ALL.map(|(_, leave)| leave);
                let at = all.iter().position(|leave| *leave == own.leave).unwrap_or(0);
                OptionChange::Leave(all[(at + if up { 1 } else { all.len() - 1 }) % all.len()])
            }
            Self::With | Self::Combine | Self::Opposite | Self::Turn | Self::Speed | Self::Wheel => return None,
        })
    }

    /// Whether it has enough steps for steps of ten.
    pub fn is_far(self) -> bool {
        use Choice::{Again, Press, Ramp, Reach, Sensitivity, Shortest, Speed, Spring, Tap, Threshold, Turn, Wheel};
        matches!(
            self,
            Again | Press | Ramp | Reach | Sensitivity | Shortest | Speed | Spring | Tap | Threshold | Turn | Wheel
        )
    }

    /// The change that a typed value means.
    ///
    /// # Errors
    /// Which values are allowed.
    pub fn typed(self, target: Target, text: &str) -> Result<TypedOption, String> {
        let text = text.trim().to_lowercase();
        let usual = matches!(text.as_str(), "default" | "");
        let off = matches!(text.as_str(), "off" | "no" | "none");
        let number = |low: f32, high: f32, unit: &str| -> Result<f32, String> {
            let plain = text.replace(',', ".");
            let digits = plain.trim_start_matches(['×', 'x', '*', ' ']);
            let end = digits.find(|c: char| !matches!(c, '0'..='9' | '.' | '-' | '+')).unwrap_or(digits.len());
            let typed = if off { Ok(0.0) } else { digits[..end].parse::<f32>() };
            let typed = typed.ok().filter(|typed| (low..=high).contains(typed));
            typed.ok_or_else(|| format!("{} goes from {low} to {high}{unit}", self.name()))
        };
        let whole = |low: f32, high: f32, unit: &str| number(low, high, unit).map(|typed| typed.round() as u16);
        let whether = || match text.as_str() {
            "yes" | "y" | "on" => Ok(true),
            "no" | "n" | "off" => Ok(false),
            _ => Err(format!("{} is yes or no", self.name())),
        };
        let among = |names: &[&str]| {
            let at = names.iter().position(|name| !text.is_empty() && name.contains(&*text));
            at.ok_or_else(|| format!("{} is one of: {}", self.name(), names.join(", ")))
        };
        let one = match self {
            Self::Inverted => OptionChange::Inverted(whether()?),
            Self::Toggle => OptionChange::Toggle(whether()?),
            Self::Press if usual => OptionChange::Press(None),
            Self::Press => {
                let percent = text.trim_start_matches("from").trim().to_owned();
                let typed = percent.trim_end_matches('%').trim().parse::<f32>().ok();
                match typed.filter(|typed| (5.0..=100.0).contains(typed)) {
                    Some(typed) => OptionChange::Press(Some((typed * 10.0).round() as u16)),
                    None => return Err("press goes from 5 to 100 %, or is default".into()),
                }
            }
            Self::Sensitivity => OptionChange::Sensitivity((number(0.05, 20.0, "")? * 1000.0).round() as u16),
            Self::Ramp => OptionChange::Ramp(whole(0.0, 10_000.0, " ms")?),
            Self::Shortest => OptionChange::Shortest(whole(0.0, 10_000.0, " ms")?),
            Self::Tap => OptionChange::Tap(whole(0.0, 2_000.0, " ms")?),
            Self::Again => OptionChange::Again((number(0.0, 30.0, " a second")? * 10.0).round() as u16),
            Self::Row => OptionChange::Row(whole(0.0, 16.0, " presses")? as u8),
            Self::Threshold => OptionChange::Threshold((number(0.0, 90.0, " %")? * 10.0).round() as u16),
            Self::Region if text == "everywhere" => OptionChange::Region(None),
            Self::Region => OptionChange::Region(Some(REGIONS[among(&REGIONS.map(|(name, _)| name))?].1)),
            Self::Reach if usual => OptionChange::Reach(None),
            Self::Reach => OptionChange::Reach(Some(number(1.0, 100_000.0, " counts")?.round() as u32)),
            Self::Spring if usual => OptionChange::Spring(None),
            Self::Spring => OptionChange::Spring(Some(whole(0.0, 10_000.0, " ms")?)),
            Self::Leave => OptionChange::Leave(Leave::ALL[among(&Leave::ALL.map(|(name, _)| name))?].1),
            Self::Turn => {
                let degrees = number(-180.0, 180.0, "°")?.round() as i16;
                return Ok(TypedOption::Wide(WideChange::Turn { right: is_right(target), degrees }));
            }
            Self::Speed => return Ok(TypedOption::Wide(WideChange::Speed(whole(10.0, 20_000.0, " a second")?))),
            Self::Wheel => {
                let tenths = (number(0.5, 100.0, " a second")? * 10.0).round() as u16;
                return Ok(TypedOption::Wide(WideChange::Wheel(tenths)));
            }
            Self::Opposite => {
                let last = among(&["neither", "the last one"])? == 1;
                return Ok(TypedOption::Wide(WideChange::OppositeLast(last)));
            }
            Self::Combine => {
                let all = [Combine::Largest, Combine::Sum, Combine::Last];
                return Ok(TypedOption::Together(all[among(&["the largest", "their sum", "the last one"])?]));
            }
            Self::With => return Err("press +, then the control that has to be held as well".into()),
        };
        Ok(TypedOption::One(one))
    }

    /// One step of a setting of the whole profile.
    pub fn step_wide(self, own: &OptionsView, target: Target, up: bool) -> Option<WideChange> {
        let by = |value: u16, low: u16, high: u16| {
            let step = (value / 10).max(1);
            if up { value.saturating_add(step) } else { value.saturating_sub(step) }.clamp(low, high)
        };
        let right = is_right(target);
        Some(match self {
            Self::Opposite => WideChange::OppositeLast(up),
            Self::Turn => {
                let degrees = own.wide.turn[usize::from(right)] + if up { 5 } else { -5 };
                WideChange::Turn { right, degrees: degrees.clamp(-180, 180) }
            }
            Self::Speed => WideChange::Speed(by(own.wide.speed, 10, 20_000)),
            Self::Wheel => WideChange::Wheel(by(own.wide.wheel, 5, 1_000)),
            _ => return None,
        })
    }
}

fn is_right(target: Target) -> bool {
    target.name().starts_with("right stick")
}

/// The profile's settings after a change.
pub(crate) fn widely(mut own: OptionsView, which: WideChange) -> OptionsView {
    match which {
        WideChange::OppositeLast(last) => own.wide.opposite_last = last,
        WideChange::Turn { right, degrees } => own.wide.turn[usize::from(right)] = degrees,
        WideChange::Speed(speed) => own.wide.speed = speed,
        WideChange::Wheel(wheel) => own.wide.wheel = wheel,
    }
    own
}

/// Steps through this many values; between the last and the first comes "none".
fn turned(count: usize, at: Option<usize>, up: bool) -> Option<usize> {
    match (at, up) {
        (None, true) => Some(0),
        (None, false) => Some(count - 1),
        (Some(at), true) => Some(at + 1).filter(|next| *next < count),
        (Some(at), false) => at.checked_sub(1),
    }
}

/// The options after a change.
pub(crate) fn applied(mut own: OptionsView, which: OptionChange) -> OptionsView {
    match which {
        OptionChange::Inverted(on) => own.inverted = on,
        OptionChange::Toggle(on) => own.toggle = on,
        OptionChange::Press(press) => own.press = press,
        OptionChange::Sensitivity(times) => own.sensitivity = times,
        OptionChange::Ramp(millis) => own.ramp = millis,
        OptionChange::Shortest(millis) => own.shortest = millis,
        OptionChange::Again(0) => own.again = 0,
        OptionChange::Again(tenths) => (own.again, own.row, own.tap) = (tenths, (0, false), 0),
        OptionChange::Row(0) => own.row = (0, false),
        OptionChange::Row(presses) => (own.row, own.again, own.tap) = ((presses, true), 0, 0),
        OptionChange::Threshold(least) => own.threshold = least,
        OptionChange::Tap(millis) => own.tap = millis,
        OptionChange::Region(edges) => own.region = edges,
        OptionChange::Reach(counts) => own.reach = counts,
        OptionChange::Spring(millis) => own.spring = millis,
        OptionChange::Leave(leave) => own.leave = leave,
    }
    own
}

/// A binding's own options in a layer: those of its first source there.
pub fn options_in(row: &BindingRow, layer: &str) -> Option<OptionsView> {
    let own = row.said.iter().zip(&row.options).filter(|((_, of, _), _)| of == layer);
    own.map(|(_, options)| *options).next()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plain() -> OptionsView {
        OptionsView::default()
    }

    #[test]
    fn typed_values_are_accepted_or_their_range_is_shown() {
        let typed = |choice: Choice, text: &str| choice.typed(PadTarget::South.into(), text);
        let one = |change| Ok(TypedOption::One(change));
        assert_eq!(typed(Choice::Sensitivity, "× 1.5"), one(OptionChange::Sensitivity(1500)));
        assert_eq!(typed(Choice::Press, "from 60 %"), one(OptionChange::Press(Some(600))));
        assert_eq!(typed(Choice::Press, "default"), one(OptionChange::Press(None)));
        assert_eq!(typed(Choice::Again, "12.5 a second"), one(OptionChange::Again(125)));
        assert_eq!(typed(Choice::Ramp, "off"), one(OptionChange::Ramp(0)));
        assert_eq!(typed(Choice::Threshold, "2,5"), one(OptionChange::Threshold(25)));
        assert_eq!(typed(Choice::Combine, "sum"), Ok(TypedOption::Together(Combine::Sum)));
        assert_eq!(typed(Choice::Tap, "9999"), Err("tap goes from 0 to 2000 ms".into()));
        assert!(typed(Choice::Toggle, "perhaps").is_err() && typed(Choice::Leave, "").is_err());
    }

    #[test]
    fn every_option_steps_up_and_back() {
        let target = PadTarget::RightStickLeft;
        let value = |choice: Choice, own: &OptionsView| choice.value(own, Combine::Largest, target.into());
        for choice in Choice::ALL {
            let wide = choice.step_wide(&plain(), target.into(), true);
            let one = choice.step(&plain(), true);
            let after = match (one, wide) {
                (Some(one), None) => applied(plain(), one),
                (None, Some(wide)) => widely(plain(), wide),
                (None, None) => {
                    assert!(matches!(choice, Choice::With | Choice::Combine), "{choice:?} is stepped elsewhere");
                    continue;
                }
                both => panic!("{choice:?}: {both:?}"),
            };
            assert_ne!(value(choice, &after), value(choice, &plain()), "{choice:?}");
            let back = match wide {
                Some(_) => choice.step_wide(&after, target.into(), false).map(|back| widely(after, back)),
                None => choice.step(&after, false).map(|back| applied(after, back)),
            };
            let back = back.expect("a step");
            assert_ne!(value(choice, &back), value(choice, &after), "{choice:?} comes back");
        }
    }

    #[test]
    fn only_applicable_options_are_listed() {
        let of = |own: OptionsView, name: &str| Choice::of(&own, Target::named(name).expect("there is one"));
        let (button, mouse) = (plain(), OptionsView { kind: ControlKind::Relative, travels: true, ..plain() });
        let finger = OptionsView { kind: ControlKind::Contact, travels: true, surface: true, ..plain() };
        assert!(of(button, "South").contains(&Choice::Tap) && !of(button, "South").contains(&Choice::Reach));
        assert!(!of(button, "South").contains(&Choice::Region));
        assert!(of(OptionsView { surface: true, ..button }, "mouse button left").contains(&Choice::Region));
        assert!(of(mouse, "right stick left").contains(&Choice::Spring));
        assert!(!of(mouse, "mouse left").contains(&Choice::Spring), "count for count");
        assert!(of(finger, "right stick left").contains(&Choice::Leave));
        assert!(
            of(finger, "mouse left").contains(&Choice::Reach) && !of(finger, "mouse left").contains(&Choice::Speed)
        );
        assert!(of(button, "mouse left").contains(&Choice::Speed) && of(button, "wheel up").contains(&Choice::Wheel));
    }

    #[test]
    fn missing_values_are_the_defaults() {
        let low = OptionsView { press: Some(50), ..plain() };
        assert_eq!(
            Choice::Press.step(&low, false),
            Some(OptionChange::Press(None)),
            "below the lowest stands the usual"
        );
    }
}
