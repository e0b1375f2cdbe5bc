//! What a profile gives, computed the long way: every rule by its words, every target by all its rules, again and again.

use mantle_core::binding::{
    Binding, Combine, How, LAYERS, Leave, Named, Opposite, Part, Profile, Rule, Target, default_bindings,
};
use mantle_core::control::{Control, ControlKind, PartLayout, Place, hat_directions};
use mantle_core::pad::PadTarget;
use mantle_core::time::Micros;
use mantle_hid::Frame;
use std::collections::HashMap;

/// What all targets are at.
#[derive(Clone, Debug, Default)]
pub struct Given(HashMap<Target, f64>);

impl Given {
    pub fn share(&self, target: Target) -> f32 {
        self.0.get(&target).copied().unwrap_or(0.0) as f32
    }
}

/// What one rule remembers.
#[derive(Clone, Debug, Default)]
struct Memory {
    down: bool,
    on: bool,
    pressed_at: Option<Micros>,
    /// Since when it is on.
    beats: Option<Micros>,
    /// Pressed where it does not count, or moved although it should be tapped.
    elsewhere: bool,
    pressed_first: Micros,
    finger: Option<(f64, f64)>,
    level: i64,
    level_at: Micros,
    goal: i64,
    value: f64,
    /// Off its rest, or on its way.
    off: bool,
    since: Micros,
    with: Vec<bool>,
}

/// One rule, or what is guessed.
#[derive(Clone, Debug)]
enum Line {
    Said(Box<Rule>),
    Guessed(Binding),
}

impl Line {
    fn target(&self) -> Target {
        match self {
            Self::Said(rule) => rule.target,
            Self::Guessed(binding) => binding.target,
        }
    }

    fn layer(&self) -> usize {
        match self {
            Self::Said(rule) => rule.layer,
            Self::Guessed(_) => 0,
        }
    }
}

pub struct Plain<'a> {
    profile: &'a Profile,
    part: &'a PartLayout,
    lines: Vec<Line>,
    memory: Vec<Memory>,
    layers: Vec<(bool, bool)>,
    /// Since when each target is off its rest because of something with a memory, and whether it is.
    targets: HashMap<Target, (f64, Micros, bool)>,
    frame: Frame,
    /// Where the finger was last on the surface: raw X and Y.
    touched: [Option<i32>; 2],
    /// Whether they are at rest because nobody is there.
    away: [bool; 2],
    now: Micros,
}

/// The meaning of a name: the control, and which state.
fn meant<'a>(part: &'a PartLayout, named: &Named, target: Target) -> Option<(&'a Control, Part)> {
    let control = part.controls.iter().find(|control| control.name.eq_ignore_ascii_case(&named.control))?;
    let own = match (control.kind, named.part) {
        (ControlKind::Button, None) => Part::Whole,
        (ControlKind::Contact, None) if matches!(control.place, Place::Bit(_)) => Part::Whole,
        (ControlKind::Contact, Some(Part::Whole | Part::LowerHalf | Part::UpperHalf)) => named.part?,
        (ControlKind::Axis, Some(Part::Whole | Part::LowerHalf | Part::UpperHalf)) => named.part?,
        (ControlKind::Axis, None) => Part::Whole,
        (ControlKind::Hat, Some(Part::Up | Part::Down | Part::Left | Part::Right)) => named.part?,
        (ControlKind::Hat, None) => {
            let name = target.name();
            *[Part::Up, Part::Down, Part::Left, Part::Right].iter().find(|part| name.ends_with(part.word()))?
        }
        _ => return None,
    };
    Some((control, own))
}

/// The state of a control meant by a default binding.
fn state_of(how: How) -> Part {
    match how {
        How::Down | How::Travel => Part::Whole,
        How::LowerHalf => Part::LowerHalf,
        How::UpperHalf => Part::UpperHalf,
        How::Direction(1) => Part::Up,
        How::Direction(2) => Part::Down,
        How::Direction(4) => Part::Left,
        How::Direction(_) => Part::Right,
    }
}

/// How far a control is in one of its states, 0 to 1.
fn share(control: &Control, part: Part, frame: &Frame) -> f64 {
    let raw = match control.place {
        Place::Bit(bit) => return f64::from(u8::from(frame.bit(bit))),
        Place::Value(value) => frame.values[usize::from(value)],
    };
    let (min, max) = (f64::from(control.min), f64::from(control.max));
    let middle = (min + max) / 2.0;
    let slack = if (control.max - control.min) % 2 == 0 { 0.0 } else { 0.5 };
    let half = |off: f64| ((off - slack) / ((max - min) / 2.0 - slack)).clamp(0.0, 1.0);
    let toward = |bit: u32| f64::from(u8::from(hat_directions(control.min, control.max, raw) & bit != 0));
    match part {
        Part::Whole => ((f64::from(raw) - min) / (max - min)).clamp(0.0, 1.0),
        Part::LowerHalf => half(middle - f64::from(raw)),
        Part::UpperHalf => half(f64::from(raw) - middle),
        Part::Up => toward(1),
        Part::Down => toward(2),
        Part::Left => toward(4),
        Part::Right => toward(8),
    }
}

fn takes_travel(target: Target) -> bool {
    let name = target.name();
    let moves = ["mouse left", "mouse right", "mouse up", "mouse down"].contains(&name) || name.starts_with("wheel ");
    moves || name.contains("stick ") && !name.contains("press") || name.contains("trigger")
}

impl<'a> Plain<'a> {
    pub fn new(profile: &'a Profile, part: &'a PartLayout) -> Self {
        let can = |rule: &&Rule| rule.source.as_ref().is_none_or(|source| meant(part, source, rule.target).is_some());
        let mut lines: Vec<Line> =
            profile.rules.iter().filter(can).map(|rule| Line::Said(Box::new(rule.clone()))).collect();
        if profile.defaults {
            let base: Vec<&Rule> = profile.rules.iter().filter(|rule| rule.layer == 0).collect();
            for guess in default_bindings(part).list {
                let control = part.controls.iter().find(|control| control.number == guess.control).expect("its own");
                let own = state_of(guess.how);
                let uses = |rule: &&Rule| {
                    let found = rule.source.as_ref().and_then(|source| meant(part, source, rule.target));
                    found.is_some_and(|(other, state)| {
                        other.number == control.number && (state == own || state == Part::Whole || own == Part::Whole)
                    })
                };
                let holds = profile.layers.iter().any(|layer| {
                    meant(part, &layer.hold, PadTarget::South.into())
                        .is_some_and(|(other, _)| other.number == control.number)
                });
                if !holds && !base.iter().any(|rule| rule.target == guess.target) && !base.iter().any(uses) {
                    lines.push(Line::Guessed(guess));
                }
            }
        }
        let memory = vec![Memory::default(); lines.len()];
        let layers = vec![(false, false); profile.layers.len().min(LAYERS)];
        let (targets, frame) = (HashMap::new(), Frame::default());
        Self {
            profile,
            part,
            lines,
            memory,
            layers,
            targets,
            frame,
            touched: [None; 2],
            away: [false; 2],
            now: Micros(0),
        }
    }

    /// A report has come.
    pub fn frame(&mut self, now: Micros, frame: &Frame) {
        self.frame = *frame;
        self.leave_surface();
        for (layer, (down, on)) in self.profile.layers.iter().zip(&mut self.layers) {
            let found = meant(self.part, &layer.hold, PadTarget::South.into());
            let far = found.map_or(0.0, |(control, part)| share(control, part, frame));
            let held = far + 1e-4 >= if *down { 0.4 } else { 0.5 };
            if held && !*down {
                *on = !*on;
            }
            *down = held;
        }
        self.time(now);
    }

    fn control(&self, name: &str) -> &'a Control {
        self.part.controls.iter().find(|control| control.name == name).expect("the pad has it")
    }

    fn raw(&self, name: &str) -> i32 {
        match self.control(name).place {
            Place::Bit(bit) => i32::from(self.frame.bit(bit)),
            Place::Value(value) => self.frame.values[usize::from(value)],
        }
    }

    /// The position of the finger, as shares of the surface; none if there is none.
    fn finger(&self) -> Option<(f64, f64)> {
        let share = |name: &str| f64::from(self.raw(name)) / 255.0;
        (self.raw("contact 1") == 1).then(|| (share("contact 1 X"), share("contact 1 Y")))
    }

    /// If nothing touches, the first rule that mentions leaving decides.
    fn leave_surface(&mut self) {
        let there = self.raw("contact 1") == 1;
        for (at, name) in ["contact 1 X", "contact 1 Y"].into_iter().enumerate() {
            self.away[at] = false;
            if there {
                self.touched[at] = Some(self.raw(name));
                continue;
            }
            let says = self.lines.iter().filter_map(|line| match line {
                Line::Said(rule) if rule.source.as_ref().is_some_and(|named| named.control == name) => {
                    Some(rule.options.leave)
                }
                _ => None,
            });
            let leave = says.into_iter().find(|leave| *leave != Leave::Centre).unwrap_or(Leave::Centre);
            let left = match (leave, self.touched[at]) {
                (Leave::Hold, Some(last)) => last,
                (Leave::Edge, Some(last)) if last < 127 => 0,
                (Leave::Edge, Some(_)) => 255,
                _ => {
                    self.away[at] = true;
                    127
                }
            };
            if let Place::Value(value) = self.control(name).place {
                self.frame.values[usize::from(value)] = left;
            }
        }
    }

    /// Whether a press there counts: within the rule's region; without one, in none of those beside it.
    fn counts_there(&self, rule: &Rule, finger: Option<(f64, f64)>) -> bool {
        let within = |region: [f32; 4]| {
            let [left, upper, right, lower] = region.map(f64::from);
            finger.is_some_and(|(x, y)| {
                // As exact as the numbers of the profile.
                let (x, y) = (f64::from(x as f32), f64::from(y as f32));
                left <= x && x <= right && upper <= y && y <= lower
            })
        };
        if let Some(region) = rule.options.region {
            return within(region);
        }
        let own = self.source_of(&Line::Said(Box::new(rule.clone())));
        !self.lines.iter().any(|line| match line {
            Line::Said(other) if other.layer == rule.layer => {
                let same = match (own, self.source_of(line)) {
                    (Some((a, own)), Some((b, other))) => {
                        a == b && (own == other || own == Part::Whole || other == Part::Whole)
                    }
                    _ => false,
                };
                same && other.options.region.is_some_and(within)
            }
            _ => false,
        })
    }

    fn layer_is_on(&self, layer: usize) -> bool {
        layer == 0 || {
            let (down, on) = self.layers[layer - 1];
            if self.profile.layers[layer - 1].toggle { on } else { down }
        }
    }

    /// The control of a line, by its number, and which state of it.
    fn source_of(&self, line: &Line) -> Option<(u16, Part)> {
        match line {
            Line::Guessed(binding) => Some((binding.control.0, state_of(binding.how))),
            Line::Said(rule) => {
                let (control, part) = meant(self.part, rule.source.as_ref()?, rule.target)?;
                Some((control.number.0, part))
            }
        }
    }

    /// Whether a line plays: no layer above its own mentions its target, or uses its control.
    fn plays(&self, line: &Line) -> bool {
        let own = self.source_of(line);
        let above = |other: &Line| {
            let same = match (own, self.source_of(other)) {
                (Some((a, own)), Some((b, other))) => {
                    a == b && (own == other || own == Part::Whole || other == Part::Whole)
                }
                _ => false,
            };
            let higher = self.layer_is_on(other.layer()) && other.layer() > line.layer();
            higher && (same || other.target() == line.target())
        };
        self.layer_is_on(line.layer()) && !self.lines.iter().any(above)
    }

    /// Time has gone by.
    pub fn time(&mut self, now: Micros) {
        self.now = now;
        let plays: Vec<bool> = self.lines.iter().map(|line| self.plays(line)).collect();
        for (at, plays) in plays.into_iter().enumerate() {
            let (line, mut memory) = (self.lines[at].clone(), self.memory[at].clone());
            let value = match &line {
                Line::Guessed(binding) => self.guessed(binding, plays),
                Line::Said(rule) => self.said(rule, &mut memory, plays),
            };
            let off = value > 0.0 || memory.goal > 0;
            if off && !memory.off {
                memory.since = now;
            }
            (memory.value, memory.off) = (value, off);
            self.memory[at] = memory;
        }
        for target in crate::draw::targets() {
            let before = self.targets.get(&target).copied().unwrap_or_default();
            let value = self.combined(target);
            let own = self.lines.iter().zip(&self.memory).filter(|(line, _)| line.target() == target);
            let off = own.into_iter().any(|(_, memory)| memory.off);
            let since = if before.2 { before.1 } else { now };
            self.targets.insert(target, (value, since, off));
        }
    }

    fn guessed(&self, binding: &Binding, plays: bool) -> f64 {
        let control = self.part.controls.iter().find(|control| control.number == binding.control).expect("its own");
        let part = state_of(binding.how);
        if plays { share(control, part, &self.frame) } else { 0.0 }
    }

    fn said(&self, rule: &Rule, memory: &mut Memory, plays: bool) -> f64 {
        let Some(source) = &rule.source else { return 0.0 };
        let Some((control, part)) = meant(self.part, source, rule.target) else { return 0.0 };
        let options = &rule.options;
        let mut company = Vec::new();
        for (at, named) in options.with.iter().enumerate() {
            let Some((control, part)) = meant(self.part, named, PadTarget::South.into()) else { return 0.0 };
            let was = memory.with.get(at).copied().unwrap_or(false);
            company.push(share(control, part, &self.frame) + 1e-4 >= if was { 0.4 } else { 0.5 });
        }
        let together = company.iter().all(|held| *held);
        memory.with = company;
        let mut far = share(control, part, &self.frame);
        if options.inverted {
            far = 1.0 - far;
        }
        if (control.name == "contact 1 X" && self.away[0]) || (control.name == "contact 1 Y" && self.away[1]) {
            far = 0.0;
        }
        let least = f64::from(options.threshold);
        far = ((far - least) / (1.0 - least)).max(0.0);
        far = (far * f64::from(options.sensitivity)).min(1.0);
        let two_states =
            !matches!((control.kind, control.place), (ControlKind::Axis | ControlKind::Contact, Place::Value(_)));
        let taps = options.tap > Micros(0);
        let digital = two_states
            || options.press.is_some()
            || options.toggle
            || taps
            || options.again.is_some()
            || !options.row.is_empty()
            || !takes_travel(rule.target);
        let goal = if digital {
            let (on, off) = options.press.unwrap_or((0.5, 0.4));
            let threshold = f64::from(if memory.down { off } else { on });
            let down = together && far + 1e-4 >= threshold;
            let finger = self.finger();
            if down && !memory.down {
                memory.elsewhere = !self.counts_there(rule, finger);
                (memory.pressed_first, memory.finger) = (self.now, finger);
            }
            if let (true, Some((x, y)), Some((to_x, to_y))) = (taps, memory.finger, finger) {
                memory.elsewhere |= ((x - to_x).powi(2) + (y - to_y).powi(2)).sqrt() > 0.05;
            }
            let in_time = self.now.since(memory.pressed_first) <= options.tap;
            let happens = if taps { memory.down && !down && in_time } else { down && !memory.down };
            if happens && plays && !memory.elsewhere {
                memory.on = !memory.on;
                memory.pressed_at = Some(self.now);
            }
            memory.down = down;
            let least = if taps { options.shortest.max(Micros(50_000)) } else { options.shortest };
            let lasts = memory.pressed_at.is_some_and(|at| at.after(least) > self.now);
            let is_on = if options.toggle { memory.on } else { plays && down && !memory.elsewhere && !taps || lasts };
            let began = if is_on { memory.beats.or(Some(self.now)) } else { None };
            memory.beats = began;
            let passed = began.map_or(0, |began| self.now.since(began).0);
            let beat = match options.again {
                Some(times) => {
                    let period = (1e6 / f64::from(times)).round() as u64;
                    passed % period < period / 2
                }
                None if options.row.is_empty() => true,
                None => {
                    let ends = options.row.iter().scan(0, |end, span| {
                        *end += span.0;
                        Some(*end)
                    });
                    ends.take_while(|end| *end <= passed).count() % 2 == 0
                        && passed < options.row.iter().map(|span| span.0).sum()
                }
            };
            f64::from(u8::from(is_on && beat))
        } else if plays && together {
            far
        } else {
            0.0
        };
        if options.ramp == Micros(0) || !takes_travel(rule.target) {
            return goal;
        }
        // In whole microseconds of its ramp, in ticks of 8 ms since it started, and a last one when it arrives.
        let passed = self.now.since(memory.level_at).0 as i64;
        let far = memory.goal - memory.level;
        let moved = if passed < far.abs() { passed / 8_000 * 8_000 } else { far.abs() };
        let level = memory.level + moved * far.signum();
        let goal = (goal as f32 * options.ramp.0 as f32).round() as i64;
        if goal != memory.goal {
            (memory.level, memory.level_at, memory.goal) = (level, self.now, goal);
        }
        level as f64 / options.ramp.0 as f64
    }

    fn combined(&self, target: Target) -> f64 {
        let own = self.lines.iter().zip(&self.memory).filter(|(line, _)| line.target() == target);
        let giving: Vec<&Memory> = own.map(|(_, memory)| memory).filter(|memory| memory.value > 0.0).collect();
        match self.profile.combine_of(target) {
            Combine::Largest => giving.iter().fold(0.0, |most, memory| memory.value.max(most)),
            Combine::Sum => giving.iter().map(|memory| memory.value).sum::<f64>().min(1.0),
            Combine::Last => {
                let mut best: Option<&Memory> = None;
                for memory in giving {
                    if best.is_none_or(|best| memory.since >= best.since) {
                        best = Some(memory);
                    }
                }
                best.map_or(0.0, |memory| memory.value)
            }
        }
    }

    /// What everything is at now.
    pub fn give(&self) -> Given {
        let mut out = Given::default();
        let mut put = |target: Target, value: f64| {
            out.0.insert(target, value);
        };
        let value = |target: Target| self.targets.get(&target).copied().unwrap_or_default();
        for target in crate::draw::targets() {
            put(target, value(target).0);
        }
        use PadTarget::*;
        let pairs = [
            (Left, Right),
            (Up, Down),
            (LeftStickLeft, LeftStickRight),
            (LeftStickUp, LeftStickDown),
            (RightStickLeft, RightStickRight),
            (RightStickUp, RightStickDown),
        ];
        let mut axes = HashMap::new();
        for (low, high) in pairs {
            let ((minus, minus_since, _), (plus, plus_since, _)) = (value(low.into()), value(high.into()));
            let (mut minus, mut plus) = (minus, plus);
            if self.profile.opposite == Opposite::Last && minus > 0.0 && plus > 0.0 {
                if minus_since > plus_since { plus = 0.0 } else { minus = 0.0 }
            }
            if low.is_stick() {
                axes.insert(low, plus - minus);
            } else {
                put(low.into(), minus);
                put(high.into(), plus);
            }
        }
        for (stick, (across, down)) in
            [(LeftStickLeft, LeftStickUp), (RightStickLeft, RightStickUp)].into_iter().enumerate()
        {
            let (x, y) = (axes[&across], axes[&down]);
            let angle = f64::from(self.profile.turn[stick]).to_radians();
            let turned = [(x * angle.cos() - y * angle.sin()), (x * angle.sin() + y * angle.cos())];
            let [x, y] = turned.map(|value| value.clamp(-1.0, 1.0));
            let (right, below) =
                if stick == 0 { (LeftStickRight, LeftStickDown) } else { (RightStickRight, RightStickDown) };
            for (low, high, value) in [(across, right, x), (down, below, y)] {
                put(low.into(), (-value).max(0.0));
                put(high.into(), value.max(0.0));
            }
        }
        out
    }
}
