//! A device whose reports describe nothing: generated from parameters, its controls moved from outside.

use crate::Body;
use crate::draw::Draw;
use mantle_core::control::Packing;
use mantle_core::finding::{ButtonShape, Field, FieldFound, Want, Wanted};
use mantle_core::measure::{Checksum, Width};
use mantle_core::outgoing::OutField;
use mantle_hid::Descriptor;
use serde::Deserialize;

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Parameters {
    numbered: f64,
    rates: Vec<u64>,
    buttons: [u64; 2],
    low_buttons: f64,
    sticks: [u64; 2],
    stick_sizes: Vec<u8>,
    triggers: [u64; 2],
    trigger_sizes: Vec<u8>,
    big: f64,
    signed: f64,
    backwards: f64,
    travel: [f64; 2],
    off_centre: f64,
    hat: f64,
    four: f64,
    hat_first: Vec<i64>,
    noise: [f64; 2],
    counters: [u64; 2],
    counter_kinds: Vec<String>,
    checksums: f64,
    junk: [u64; 2],
    padding: [u64; 2],
    motion: f64,
    slack: [f64; 2],
    table: f64,
    table_rest: Vec<i64>,
    pressure: f64,
    pressure_bit: f64,
}

impl Parameters {
    pub fn read(text: &str) -> Self {
        toml::from_str(text).expect("the parameters are well formed")
    }
}

/// Where a control really is, and how it is moved: positions go from -1 to 1, 0 is rest.
#[derive(Clone, Debug)]
pub enum Truth {
    /// Bit, and whether it is 0 while down.
    Button(Field, bool),
    /// Field, number for up, number at rest.
    Hat(Field, i64, i64),
    Four([Field; 4]),
    /// A number shared by buttons, its value for this one, and at rest.
    Table(Field, i64, i64),
    /// A number that tells how hard it is pressed, and the bit beside it that tells whether it is.
    Pressure(Field, Option<Field>),
    Axis {
        field: Field,
        low: i64,
        rest: i64,
        high: i64,
        noise: i64,
        /// It does not come back to the same place each time: how far off at most, and now.
        slack: (i64, i64),
    },
}

#[derive(Clone, Debug)]
enum Other {
    /// A number that moves by itself, and more so while a hand does something.
    Motion(Field, f64),
    Counter(Field, u64),
    Clock(Field),
    Junk(u32),
    Padding,
}

pub struct Device {
    pub name: String,
    rate: u64,
    pub checksum: Option<(Checksum, Width, usize)>,
    numbered: bool,
    bytes: usize,
    controls: Vec<(Wanted, Truth)>,
    others: Vec<Other>,
    /// Where each control is: -1 to 1, or a direction in eighths clockwise from up, -1 for none.
    positions: Vec<f64>,
    count: u64,
}

/// What is placed somewhere: whole bytes, filled by controls or by something else.
enum Block {
    Bits(Vec<(Wanted, Truth)>),
    Numbers(Vec<(Wanted, Truth)>, usize),
    Other(Other, usize),
}

fn put(bytes: &mut [u8], field: &Field, value: i64) {
    let Field { at, size, packing, .. } = *field;
    let out = OutField { at, size, packing, range: (0, 0) };
    out.put(bytes, (value & ((1i64 << size) - 1)) as u32);
}

fn moved(field: &Field, bits: u32) -> Field {
    Field { at: field.at + bits, ..*field }
}

impl Truth {
    fn shift(&mut self, bits: u32) {
        match self {
            Self::Button(field, _) | Self::Hat(field, ..) | Self::Axis { field, .. } | Self::Table(field, ..) => {
                *field = moved(field, bits);
            }
            Self::Pressure(field, bit) => {
                *field = moved(field, bits);
                *bit = bit.map(|bit| moved(&bit, bits));
            }
            Self::Four(fields) => *fields = fields.map(|field| moved(&field, bits)),
        }
    }
}

impl Device {
    pub fn generate(name: &str, parameters: &Parameters, draw: &mut Draw) -> Self {
        let p = parameters;
        let mut pool = Wanted::common();
        let mut take = |want: Want| {
            let at = pool.iter().position(|wanted| wanted.want == want)?;
            Some(pool.remove(at))
        };
        let mut blocks: Vec<Block> = Vec::new();
        for _ in 0..draw.whole(p.sticks) {
            let (Some(x), Some(y)) = (take(Want::Stick), take(Want::Stick)) else { break };
            let size = draw.one_of(&p.stick_sizes);
            let (packing, signed) = Self::form(p, draw);
            blocks.push(Self::numbers(p, draw, vec![x, y], size, packing, signed));
        }
        for _ in 0..draw.whole(p.triggers) {
            let Some(trigger) = take(Want::Trigger) else { break };
            let size = draw.one_of(&p.trigger_sizes);
            let (packing, signed) = Self::form(p, draw);
            blocks.push(Self::numbers(p, draw, vec![trigger], size, packing, signed));
        }
        let mut bits: Vec<(Wanted, Truth)> = Vec::new();
        for _ in 0..draw.whole(p.buttons) {
            let Some(button) = take(Want::Button) else { break };
            bits.push((button, Truth::Button(Field::bit(0), draw.chance(p.low_buttons))));
        }
        let d_pad = take(Want::DPad).expect("it is among them");
        let kind = draw.share();
        if kind < p.hat {
            let field = Field { at: 0, size: 4, packing: Packing::Little, signed: false };
            let up = draw.one_of(&p.hat_first);
            let rest = if up == 1 { 0 } else { draw.one_of(&[8, 15]) };
            // The other half of its byte is for buttons.
            let mut byte = vec![(d_pad, Truth::Hat(field, up, rest))];
            for bit in 4..8 {
                byte.extend(bits.pop().map(|(wanted, truth)| match truth {
                    Truth::Button(field, low) => (wanted, Truth::Button(moved(&field, bit), low)),
                    other => (wanted, other),
                }));
            }
            blocks.push(Block::Numbers(byte, 1));
        } else if kind < p.hat + p.four {
            bits.push((d_pad, Truth::Four([0, 1, 2, 3].map(Field::bit))));
        }
        if draw.chance(p.table) {
            // Some of the buttons are numbers of half a byte: only one of them is down at a time.
            let field = Field { at: 4 * draw.whole([0, 1]) as u32, size: 4, ..Field::bit(0) };
            let rest = draw.one_of(&p.table_rest);
            let mut numbers: Vec<i64> = (0..16).filter(|number| *number != rest).collect();
            draw.shuffle(&mut numbers);
            let mut shared = Vec::new();
            for number in numbers.into_iter().take(5) {
                let Some(at) = bits.iter().position(|(_, truth)| matches!(truth, Truth::Button(..))) else { break };
                shared.push((bits.remove(at).0, Truth::Table(field, number, rest)));
            }
            blocks.push(Block::Numbers(shared, 1));
        }
        let mut pressed: Vec<(Wanted, Truth)> = Vec::new();
        for at in (0..bits.len()).rev() {
            if matches!(bits[at].1, Truth::Button(..)) && draw.chance(p.pressure) {
                let bit = draw.chance(p.pressure_bit).then(|| Field::bit(8 + draw.whole([0, 7]) as u32));
                let field = Field { at: 0, size: 8, ..Field::bit(0) };
                pressed.push((bits.remove(at).0, Truth::Pressure(field, bit)));
            }
        }
        for (wanted, truth) in pressed {
            let bytes = if matches!(truth, Truth::Pressure(_, Some(_))) { 2 } else { 1 };
            blocks.push(Block::Numbers(vec![(wanted, truth)], bytes));
        }
        if draw.chance(p.motion) {
            for _ in 0..3 {
                let field = Field { at: 0, size: 16, packing: Packing::Little, signed: true };
                blocks.push(Block::Other(Other::Motion(field, 0.0), 2));
            }
        }
        draw.shuffle(&mut bits);
        blocks.push(Block::Bits(bits));
        for _ in 0..draw.whole(p.counters) {
            let kind = draw.one_of(&p.counter_kinds);
            let field = |size| Field { at: 0, size, packing: Packing::Little, signed: false };
            blocks.push(match kind.as_str() {
                "nibble" => Block::Other(Other::Counter(field(4), draw.one_of(&[1, 1, 3])), 1),
                "byte" => Block::Other(Other::Counter(field(8), draw.whole([1, 7])), 1),
                "word" => Block::Other(Other::Counter(field(16), draw.whole([1, 7])), 2),
                _ => Block::Other(Other::Clock(field(16)), 2),
            });
        }
        for _ in 0..draw.whole(p.junk) {
            blocks.push(Block::Other(Other::Junk(0), 1));
        }
        for _ in 0..draw.whole(p.padding) {
            blocks.push(Block::Other(Other::Padding, 1));
        }
        draw.shuffle(&mut blocks);
        let numbered = draw.chance(p.numbered);
        let mut device = Self {
            name: name.into(),
            rate: draw.one_of(&p.rates),
            checksum: None,
            numbered,
            bytes: 0,
            controls: Vec::new(),
            others: Vec::new(),
            positions: Vec::new(),
            count: draw.word() >> 40,
        };
        for block in blocks {
            device.add(block);
        }
        if draw.chance(p.checksums) {
            let (checksum, widths) = draw.one_of(&Checksum::KNOWN);
            let width = draw.one_of(widths);
            device.checksum = Some((checksum, width, device.bytes + 1));
            device.bytes += width.bytes();
        }
        device.positions =
            device.controls.iter().map(|(wanted, _)| if wanted.want == Want::DPad { -1.0 } else { 0.0 }).collect();
        device
    }

    fn form(p: &Parameters, draw: &mut Draw) -> (Packing, bool) {
        let packing = if draw.chance(p.big) { Packing::Big } else { Packing::Little };
        (packing, draw.chance(p.signed))
    }

    fn numbers(
        p: &Parameters,
        draw: &mut Draw,
        wanted: Vec<Wanted>,
        size: u8,
        packing: Packing,
        signed: bool,
    ) -> Block {
        let all = 1i64 << size;
        let bits = wanted.len() * usize::from(size);
        let mut at = 0;
        let mut out = Vec::new();
        for wanted in wanted {
            let (bottom, top) = if signed { (-all / 2, all / 2 - 1) } else { (0, all - 1) };
            let middle = (bottom + top) / 2;
            let stick = wanted.want == Want::Stick;
            let ends = [draw.between(p.travel), draw.between(p.travel)];
            let (mut low, mut high) = (
                middle - ((middle - bottom) as f64 * ends[0]) as i64,
                middle + ((top - middle) as f64 * ends[1]) as i64,
            );
            if draw.chance(p.backwards) {
                std::mem::swap(&mut low, &mut high);
            }
            let off = (draw.between([-p.off_centre, p.off_centre]) * all as f64) as i64;
            let rest = if stick { middle + off } else { low };
            let noise = (draw.between(p.noise) * all as f64).ceil() as i64;
            let field = Field { at, size, packing, signed };
            at += u32::from(size);
            let slack = if stick { 0 } else { (draw.between(p.slack) * all as f64) as i64 };
            out.push((wanted, Truth::Axis { field, low, rest, high, noise, slack: (slack, 0) }));
        }
        Block::Numbers(out, bits.div_ceil(8))
    }

    fn add(&mut self, block: Block) {
        let first = self.bytes as u32 * 8;
        let bytes = match block {
            Block::Numbers(controls, bytes) => {
                for (wanted, mut truth) in controls {
                    truth.shift(first);
                    self.controls.push((wanted, truth));
                }
                bytes
            }
            Block::Bits(controls) => {
                let mut bit = 0;
                for (wanted, mut truth) in controls {
                    truth.shift(first + bit);
                    bit += if matches!(truth, Truth::Four(_)) { 4 } else { 1 };
                    self.controls.push((wanted, truth));
                }
                bit.div_ceil(8) as usize
            }
            Block::Other(other, bytes) => {
                self.others.push(match other {
                    Other::Counter(field, step) => Other::Counter(moved(&field, first), step),
                    Other::Clock(field) => Other::Clock(moved(&field, first)),
                    Other::Motion(field, at) => Other::Motion(moved(&field, first), at),
                    Other::Junk(_) => Other::Junk(first),
                    Other::Padding => Other::Padding,
                });
                bytes
            }
        };
        self.bytes += bytes;
    }
    fn control(&self, wanted: &Wanted) -> usize {
        self.controls.iter().position(|(own, _)| own == wanted).expect("it is there")
    }

    /// A report, and the raw number of each axis in it.
    fn report_with(&mut self, draw: &mut Draw) -> (Vec<u8>, Vec<i64>) {
        let mut out = vec![0u8; self.bytes + 1];
        let mut raw = Vec::new();
        let mut moves = false;
        let mut tables: Vec<(Field, i64)> = Vec::new();
        for ((wanted, truth), position) in self.controls.iter_mut().zip(&self.positions) {
            let mut number = 0;
            moves |= *position != if wanted.want == Want::DPad { -1.0 } else { 0.0 };
            match truth {
                Truth::Table(field, own, rest) => {
                    if *position > 0.5 {
                        tables.push((*field, *own));
                    } else if !tables.iter().any(|(known, _)| known == field) {
                        put(&mut out, field, *rest);
                    }
                }
                Truth::Pressure(field, bit) => {
                    let hard = if *position > 0.5 { 150.0 + 105.0 * draw.share() } else { 2.0 * draw.share() };
                    number = hard as i64;
                    put(&mut out, field, number);
                    bit.iter().for_each(|bit| put(&mut out, bit, i64::from(*position > 0.5)));
                }
                Truth::Button(field, low) => put(&mut out, field, i64::from((*position > 0.5) != *low)),
                Truth::Hat(field, up, rest) => {
                    put(&mut out, field, if *position < 0.0 { *rest } else { *up + *position as i64 });
                }
                Truth::Four(fields) => {
                    for (direction, field) in fields.iter().enumerate() {
                        let apart = (position - 2.0 * direction as f64).rem_euclid(8.0);
                        put(&mut out, field, i64::from(*position >= 0.0 && (apart <= 1.0 || apart >= 7.0)));
                    }
                }
                Truth::Axis { field, low, rest, high, noise, slack } => {
                    if *position != 0.0 {
                        slack.1 = (draw.share() * slack.0 as f64) as i64 * (*high - *low).signum();
                    }
                    let rest = if *position == 0.0 { *rest + slack.1 } else { *rest };
                    let end = if *position < 0.0 { &*low } else { &*high };
                    let shaken = (draw.share() - 0.5) * *noise as f64;
                    let value = rest as f64 + (*end - rest) as f64 * position.abs() + shaken;
                    let all = 1i64 << field.size;
                    let (bottom, top) = if field.signed { (-all / 2, all / 2 - 1) } else { (0, all - 1) };
                    number = (value.round() as i64).clamp(bottom, top);
                    put(&mut out, field, number);
                }
            }
            raw.push(number);
        }
        tables.iter().take(1).for_each(|(field, number)| put(&mut out, field, *number));
        self.count += 1;
        for other in &mut self.others {
            match other {
                Other::Counter(field, step) => put(&mut out, field, (self.count * *step) as i64),
                // A clock in units of a tenth of a millisecond, read slightly sooner or later each time.
                Other::Clock(field) => {
                    let time = self.count * 10_000 / self.rate + draw.word() % 3;
                    put(&mut out, field, time as i64);
                }
                Other::Junk(at) => put(&mut out, &Field { size: 8, ..Field::bit(*at) }, draw.word() as i64 & 0xff),
                Other::Motion(field, at) => {
                    *at = *at * 0.97 + draw.between([-1.0, 1.0]) * if moves { 900.0 } else { 120.0 };
                    put(&mut out, field, *at as i64);
                }
                Other::Padding => {}
            }
        }
        out[0] = if self.numbered { 7 } else { 0 };
        if !self.numbered {
            out.remove(0);
        }
        if let Some((checksum, width, at)) = self.checksum {
            let at = at - usize::from(!self.numbered);
            let sum = checksum.of(&out[..at]);
            width.write(sum, &mut out[at..]);
        }
        (out, raw)
    }
}

impl Body for Device {
    /// A vendor-defined report of so many bytes.
    fn shape(&self) -> ButtonShape {
        let mut bytes = vec![0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01];
        if self.numbered {
            bytes.extend([0x85, 0x07]);
        }
        bytes.extend([0x09, 0x01, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, self.bytes as u8, 0x81, 0x02, 0xc0]);
        ButtonShape::of(&Descriptor::parse(&bytes).expect("a descriptor"))
    }

    fn wanted(&self) -> Vec<Wanted> {
        let mut all: Vec<Wanted> = Wanted::common();
        all.retain(|wanted| self.controls.iter().any(|(own, _)| own == wanted));
        all
    }

    fn set(&mut self, wanted: &Wanted, position: f64) {
        let control = self.control(wanted);
        self.positions[control] = position;
    }

    fn rest(&mut self) {
        for (position, (wanted, _)) in self.positions.iter_mut().zip(&self.controls) {
            *position = if wanted.want == Want::DPad { -1.0 } else { 0.0 };
        }
    }

    fn report(&mut self, draw: &mut Draw) -> Vec<u8> {
        self.report_with(draw).0
    }

    fn name(&self) -> &str {
        &self.name
    }

    fn rate(&self) -> u64 {
        self.rate
    }

    fn truth(&self, wanted: &Wanted) -> String {
        format!("{:?}", self.controls[self.control(wanted)].1)
    }

    /// Whether what was found reads an unseen stream of the device correctly: everything moves at once, at random. For a number, up to offset and
    /// scale, within half a percent of its range.
    fn is_right(&mut self, wanted: &Wanted, found: &FieldFound, draw: &mut Draw) -> bool {
        let control = self.control(wanted);
        let truth = self.controls[control].1.clone();
        let kept = self.positions.clone();
        let shape = self.shape();
        let (mut numbers, mut exact) = (Vec::new(), true);
        for _ in 0..400 {
            for at in 0..self.controls.len() {
                self.positions[at] = match self.controls[at].0.want {
                    Want::Button => f64::from(u8::from(draw.chance(0.5))),
                    Want::DPad => draw.whole([0, 8]) as f64 - 1.0,
                    Want::Stick => draw.between([-1.0, 1.0]),
                    Want::Trigger => draw.share(),
                };
            }
            let position = self.positions[control];
            let (report, raw) = self.report_with(draw);
            let mut state = Vec::new();
            shape.put(&report, &mut state);
            match (found, &truth) {
                (FieldFound::Button(field, low), Truth::Button(..)) => {
                    exact &= ((field.of(&state) != 0) != *low) == (position > 0.5);
                }
                (FieldFound::Value(field, number), Truth::Table(..)) => {
                    // Of several that are down at once, only one is reported.
                    let others = self.controls.iter().zip(&self.positions).filter(|((other, truth), position)| {
                        matches!(truth, Truth::Table(..)) && *other != *wanted && **position > 0.5
                    });
                    exact &= others.count() > 0 || (field.of(&state) == *number) == (position > 0.5);
                }
                (FieldFound::Button(field, low), Truth::Table(..)) => {
                    let others = self.controls.iter().zip(&self.positions).filter(|((other, truth), position)| {
                        matches!(truth, Truth::Table(..)) && *other != *wanted && **position > 0.5
                    });
                    exact &= others.count() > 0 || ((field.of(&state) != 0) != *low) == (position > 0.5);
                }
                (FieldFound::Button(field, low), Truth::Pressure(..)) => {
                    exact &= ((field.of(&state) != 0) != *low) == (position > 0.5);
                }
                (FieldFound::Axis { field, range, .. }, Truth::Pressure(..)) => {
                    let share = f64::from(field.of(&state) - range.0) / f64::from(range.1 - range.0);
                    exact &= (share > 0.5) == (position > 0.5);
                }
                (FieldFound::Hat { field, up, steps }, Truth::Hat(..)) => {
                    let number = field.of(&state) - up;
                    let seen = if (0..i32::from(*steps)).contains(&number) { f64::from(number) } else { -1.0 };
                    exact &= *steps == 8 && seen == position;
                }
                (FieldFound::Four(fields, low), Truth::Four(_)) => {
                    for (direction, field) in fields.iter().enumerate() {
                        let apart = (position - 2.0 * direction as f64).rem_euclid(8.0);
                        let down = position >= 0.0 && (apart <= 1.0 || apart >= 7.0);
                        exact &= ((field.of(&state) != 0) != *low) == down;
                    }
                }
                (FieldFound::Axis { field, .. }, Truth::Axis { .. }) => {
                    numbers.push((raw[control] as f64, f64::from(field.of(&state))));
                }
                _ => exact = false,
            }
        }
        self.positions = kept;
        match (&truth, found) {
            (Truth::Axis { field, low, high, .. }, FieldFound::Axis { backwards, .. }) => {
                exact && *backwards == (low > high) && fits(&numbers, (1u64 << field.size) as f64)
            }
            _ => exact,
        }
    }
}

/// Whether pairs lie on a line, within half a percent of a range, along its first coordinate.
pub fn fits(pairs: &[(f64, f64)], range: f64) -> bool {
    let n = pairs.len() as f64;
    let (mx, my) = (pairs.iter().map(|p| p.0).sum::<f64>() / n, pairs.iter().map(|p| p.1).sum::<f64>() / n);
    let sxy: f64 = pairs.iter().map(|(x, y)| (x - mx) * (y - my)).sum();
    let syy: f64 = pairs.iter().map(|(_, y)| (y - my) * (y - my)).sum();
    let slope = sxy / syy.max(1e-9);
    pairs.iter().all(|(x, y)| (mx + slope * (y - my) - x).abs() <= 0.005 * range + 0.5)
}
