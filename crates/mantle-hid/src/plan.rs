//! Decoding compiled once: which bits of which report go where in a [`Frame`]. Runs of one-bit elements that stay together from the report to the
//! frame are one load, so buttons remain a bitmap; every wider element is one load and two shifts. After compiling, nothing is allocated.

use crate::descriptor::Descriptor;
use crate::error::DecodeError;
use crate::report::{ReportId, ReportKind};

/// Words of buttons in a frame: 256 of them.
pub const WORDS: usize = 4;
/// Values in a frame.
pub const VALUES: usize = 64;

/// The decoded state of one source: buttons as bits, everything wider as numbers.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Frame {
    /// Button `n` is bit `n % 64` of word `n / 64`.
    pub bits: [u64; WORDS],
    /// Raw logical values.
    pub values: [i32; VALUES],
}

impl Default for Frame {
    fn default() -> Self {
        Self { bits: [0; WORDS], values: [0; VALUES] }
    }
}

impl Frame {
    /// Whether a button is down; buttons beyond the frame never are.
    #[must_use]
    pub fn bit(&self, n: u16) -> bool {
        self.bits.get(usize::from(n / 64)).is_some_and(|word| word >> (n % 64) & 1 == 1)
    }

    /// Puts a button down, or releases it; buttons beyond the frame stay up.
    pub fn set_bit(&mut self, n: u16, down: bool) {
        if let Some(word) = self.bits.get_mut(usize::from(n / 64)) {
            *word = *word & !(1 << (n % 64)) | u64::from(down) << (n % 64);
        }
    }
}

/// Where an element of an input report goes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Want {
    /// One bit of the report into one bit of the frame.
    Bit {
        /// Report id.
        report: ReportId,
        /// Bit of the report, after the id byte.
        offset: u32,
        /// Bit of the frame.
        to: u16,
    },
    /// A number of up to 32 bits into a value of the frame.
    Value {
        /// Report id.
        report: ReportId,
        /// First bit of the report, after the id byte.
        offset: u32,
        /// Width, 1 to 32 bits.
        width: u8,
        /// Whether it is sign-extended.
        signed: bool,
        /// Value of the frame.
        to: u8,
    },
    /// A number whose bits are counted from the highest of each byte, as some devices pack them.
    Big {
        /// Report id.
        report: ReportId,
        /// First bit after the id byte; bit 0 is the highest of the first byte.
        offset: u32,
        /// Width, 1 to 32 bits.
        width: u8,
        /// Whether it is sign-extended.
        signed: bool,
        /// Value of the frame.
        to: u8,
    },
    /// An array field: index `n` of its usage list into bit `to + n` of the frame.
    Array {
        /// Report id.
        report: ReportId,
        /// First bit of the report, after the id byte.
        offset: u32,
        /// Width of an element, 1 to 32 bits.
        width: u8,
        /// Elements.
        count: u16,
        /// Value that stands for index 0.
        first: i32,
        /// Usages in the list.
        len: u16,
        /// The index of usage 0, if it is in the list: it means that nothing is pressed.
        silent: Option<u16>,
        /// First bit of the frame.
        to: u16,
    },
}

impl Want {
    /// The report that it is taken from.
    #[must_use]
    pub fn report(&self) -> ReportId {
        match *self {
            Self::Bit { report, .. }
            | Self::Value { report, .. }
            | Self::Big { report, .. }
            | Self::Array { report, .. } => report,
        }
    }
}

#[derive(Clone, Copy, Debug)]
struct BitRun {
    byte: u16,
    shift: u8,
    word: u8,
    to: u8,
    len: u8,
    /// How far the load is rotated to the left to put the run where it belongs in its word.
    turn: u8,
    /// Ones where the run is in its word.
    mask: u64,
}

#[derive(Clone, Copy, Debug)]
struct Number {
    byte: u16,
    up: u8,
    down: u8,
    to: u8,
    /// All ones if the sign counts, otherwise the value's own bits.
    mask: u32,
}

/// Four numbers of the same width, 8 or 16 bits, consecutive at whole bytes, that are neighbours in the frame as well: they are one load.
#[derive(Clone, Copy, Debug)]
struct Row {
    byte: u16,
    /// Whether they have 16 bits.
    words: bool,
    to: u8,
    /// All ones if the sign counts, otherwise the value's own bits; four times, as it is used.
    mask: [i32; 4],
}

/// Two numbers of the same width, consecutive in the report and in the frame: they are one load.
#[derive(Clone, Copy, Debug)]
struct Pair {
    byte: u16,
    /// How far the first has to be shifted up in the load, and the second.
    up: [u8; 2],
    down: u8,
    to: u8,
    /// All ones if the sign counts, otherwise the value's own bits.
    mask: u32,
}

#[derive(Clone, Copy, Debug)]
struct List {
    offset: u32,
    width: u8,
    count: u16,
    first: i32,
    len: u16,
    silent: Option<u16>,
    to: u16,
}

#[derive(Clone, Debug, Default)]
struct ReportPlan {
    id: u8,
    bytes: usize,
    runs: Vec<BitRun>,
    rows: Vec<Row>,
    pairs: Vec<Pair>,
    numbers: Vec<Number>,
    bigs: Vec<Number>,
    lists: Vec<List>,
    /// Whether there are numbers whose bits are counted from the other end, or lists.
    unusual: bool,
}

/// A compiled decoder of one source's input reports.
#[derive(Clone, Debug)]
pub struct Plan {
    numbered: bool,
    by_id: Box<[u8; 256]>,
    reports: Vec<ReportPlan>,
}

/// The number of an input report within its plan.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct ReportIndex(pub u8);

const NONE: u8 = u8::MAX;

impl Plan {
    /// Compiles the wanted elements. Those that do not fit the frame or their report are left out.
    #[must_use]
    pub fn compile(descriptor: &Descriptor, wants: &[Want]) -> Self {
        let reports: Vec<(ReportId, u32)> =
            descriptor.reports_of(ReportKind::Input).map(|report| (report.id, report.bits)).collect();
        Self::from_reports(descriptor.numbered(ReportKind::Input), &reports, wants)
    }

    /// The same for reports of which only id and length in bits are known, not counting the id byte.
    #[must_use]
    pub fn from_reports(numbered: bool, known: &[(ReportId, u32)], wants: &[Want]) -> Self {
        // If reports have no id, they count as the one with id 0, whatever their first byte is.
        let nameless = known.iter().take(usize::from(NONE)).position(|(id, _)| id.0 == 0);
        let all = nameless.filter(|_| !numbered).map_or(NONE, |index| index as u8);
        let mut by_id = Box::new([all; 256]);
        let mut reports = Vec::new();
        for (index, (id, bits)) in known.iter().enumerate().take(usize::from(NONE)) {
            if numbered {
                by_id[usize::from(id.0)] = index as u8;
            }
            let mut plan = ReportPlan { id: id.0, bytes: bits.div_ceil(8) as usize, ..ReportPlan::default() };
            for want in wants {
                plan.add(*want, *bits);
            }
            plan.join_runs();
            plan.join_numbers();
            plan.unusual = !plan.bigs.is_empty() || !plan.lists.is_empty();
            reports.push(plan);
        }
        Self { numbered, by_id, reports }
    }

    /// Whether reports begin with an id byte.
    #[must_use]
    #[inline]
    pub fn numbered(&self) -> bool {
        self.numbered
    }

    /// The report ids, by [`ReportIndex`].
    pub fn ids(&self) -> impl Iterator<Item = ReportId> + '_ {
        self.reports.iter().map(|report| ReportId(report.id))
    }

    /// How many bytes each whole report has, its id byte included, by [`ReportIndex`].
    pub fn lengths(&self) -> impl Iterator<Item = usize> + '_ {
        self.reports.iter().map(|report| report.bytes + usize::from(self.numbered))
    }

    /// Decodes one report, as hidraw hands it over, into the frame; says which report it was and whether anything in
    /// the frame differs from before. Bytes beyond the report's own are not looked at.
    ///
    /// # Errors
    /// [`DecodeError`]; then the frame is as it was.
    #[inline(always)]
    pub fn decode(&self, bytes: &[u8], frame: &mut Frame) -> Result<(ReportIndex, bool), DecodeError> {
        let Some(&first) = bytes.first() else { return Err(DecodeError::Empty) };
        let index = self.by_id[usize::from(first)];
        let Some(plan) = self.reports.get(usize::from(index)) else {
            return Err(DecodeError::UnknownId(if self.numbered { first } else { 0 }));
        };
        let body = &bytes[usize::from(self.numbered)..];
        let Some(body) = body.get(..plan.bytes) else {
            let extra = usize::from(self.numbered);
            return Err(DecodeError::Short { id: plan.id, got: bytes.len(), want: plan.bytes + extra });
        };
        // Loads come straight from the report, since one that was only just copied would have to wait. Eight bytes are loaded at a time, so a shorter
        // report is first put where there are that many.
        let changed = if body.len() >= LOAD { plan.apply(body, frame) } else { plan.apply_short(body, frame) };
        Ok((ReportIndex(index), changed))
    }
}

/// Bytes of one load.
const LOAD: usize = 8;

/// Bytes from `at` on, which was chosen so that they are within the report.
#[inline(always)]
fn bytes_at<const N: usize>(body: &[u8], at: u16) -> Option<&[u8; N]> {
    // Cutting behind the load leaves one comparison: that there are enough bytes before the cut is obvious.
    body.get(..usize::from(at) + N).and_then(|upto| upto.last_chunk())
}

/// Eight of them, little endian.
#[inline(always)]
fn window(body: &[u8], at: u16) -> u64 {
    bytes_at(body, at).map_or(0, |bytes| u64::from_le_bytes(*bytes))
}

impl ReportPlan {
    /// The byte from which an 8-byte load covers an element, and its shift within the load.
    fn place(&self, offset: u32) -> (u16, u8) {
        let byte = (offset / 8).min(self.bytes.saturating_sub(LOAD) as u32);
        (byte as u16, (offset - byte * 8) as u8)
    }

    fn add(&mut self, want: Want, bits: u32) {
        match want {
            Want::Bit { report, offset, to }
                if report.0 == self.id && offset < bits && usize::from(to) < WORDS * 64 =>
            {
                let (byte, shift) = self.place(offset);
                let (word, to) = ((to / 64) as u8, (to % 64) as u8);
                let turn = to.wrapping_sub(shift) & 63;
                self.runs.push(BitRun { byte, shift, word, to, len: 1, turn, mask: 1 << to });
            }
            Want::Value { report, offset, width, signed, to } | Want::Big { report, offset, width, signed, to }
                if report.0 == self.id
                    && (1..=32).contains(&width)
                    && offset + u32::from(width) <= bits
                    && usize::from(to) < VALUES =>
            {
                let (byte, shift) = self.place(offset);
                let mask = if signed { u32::MAX } else { u32::MAX >> (32 - width) };
                let down = 64 - width;
                match want {
                    Want::Big { .. } => self.bigs.push(Number { byte, up: shift, down, to, mask }),
                    _ => self.numbers.push(Number { byte, up: down - shift, down, to, mask }),
                }
            }
            Want::Array { report, offset, width, count, first, len, silent, to }
                if report.0 == self.id
                    && (1..=32).contains(&width)
                    && offset + u32::from(width) * u32::from(count) <= bits
                    && usize::from(to) + usize::from(len) <= WORDS * 64 =>
            {
                self.lists.push(List { offset, width, count, first, len, silent, to });
            }
            _ => {}
        }
    }

    /// Joins bits that are neighbours in the report and in the frame.
    fn join_runs(&mut self) {
        let at = |run: &BitRun| u32::from(run.byte) * 8 + u32::from(run.shift);
        self.runs.sort_by_key(at);
        let mut joined: Vec<BitRun> = Vec::new();
        for run in self.runs.drain(..) {
            if let Some(last) = joined.last_mut() {
                let follows = at(last) + u32::from(last.len) == at(&run);
                let together = last.word == run.word && last.to + last.len == run.to;
                if follows && together && last.shift + last.len < 64 {
                    last.len += 1;
                    last.mask |= run.mask;
                    continue;
                }
            }
            joined.push(run);
        }
        self.runs = joined;
    }

    /// Joins four numbers, or two, that are neighbours in the report and in the frame.
    fn join_numbers(&mut self) {
        let width = |number: &Number| 64 - number.down;
        // The bit at which it begins in the report.
        let at = |number: &Number| usize::from(number.byte) * 8 + usize::from(number.down - number.up);
        let neighbours = |all: &[Number]| {
            let first = &all[0];
            all.iter().enumerate().all(|(k, one)| {
                (width(one), one.mask) == (width(first), first.mask)
                    && at(one) == at(first) + k * usize::from(width(first))
                    && usize::from(one.to) == usize::from(first.to) + k
            })
        };
        let (mut from, mut single) = (0, Vec::new());
        while let Some(first) = self.numbers.get(from) {
            let (wide, start) = (width(first), at(first) / 8);
            let of = |count: usize| self.numbers.get(from..from + count).filter(|all| neighbours(all));
            // Four begin at a whole byte, and the load must not go beyond the report.
            let row = matches!(wide, 8 | 16)
                && at(first).is_multiple_of(8)
                && start + usize::from(wide) / 2 <= self.bytes
                && of(4).is_some();
            let pair = wide <= first.up && of(2).is_some();
            if row {
                let (byte, words) = (start as u16, wide == 16);
                self.rows.push(Row { byte, words, to: first.to, mask: [first.mask as i32; 4] });
            } else if pair {
                let Number { byte, up, down, to, mask } = *first;
                self.pairs.push(Pair { byte, up: [up, up - wide], down, to, mask });
            } else {
                single.push(*first);
            }
            from += if row { 4 } else { 1 + usize::from(pair) };
        }
        self.numbers = single;
    }

    /// A report that is shorter than a load.
    #[cold]
    fn apply_short(&self, body: &[u8], frame: &mut Frame) -> bool {
        let mut padded = [0u8; LOAD];
        padded[..body.len()].copy_from_slice(body);
        self.apply(&padded, frame)
    }

    #[inline(always)]
    fn apply(&self, body: &[u8], frame: &mut Frame) -> bool {
        let mut difference = 0u64;
        for row in &self.rows {
            if row.words {
                let Some(bytes) = bytes_at::<8>(body, row.byte) else { continue };
                let (words, _) = bytes.as_chunks::<2>();
                let values = std::array::from_fn(|k| i32::from(i16::from_le_bytes(words[k])));
                difference |= row.put(values, frame);
            } else {
                let Some(bytes) = bytes_at::<4>(body, row.byte) else { continue };
                difference |= row.put(bytes.map(|byte| i32::from(byte as i8)), frame);
            }
        }
        for run in &self.runs {
            let word = &mut frame.bits[usize::from(run.word) % WORDS];
            let turned = (*word ^ window(body, run.byte).rotate_left(u32::from(run.turn))) & run.mask;
            difference |= turned;
            *word ^= turned;
        }
        for pair in &self.pairs {
            let raw = window(body, pair.byte);
            let values = pair.up.map(|up| ((raw << (up & 63)) as i64 >> (pair.down & 63)) as i32 & pair.mask as i32);
            let Some(places) = frame.values[usize::from(pair.to) % VALUES..].first_chunk_mut::<2>() else { continue };
            difference |= u64::from(*places != values);
            *places = values;
        }
        for number in &self.numbers {
            let raw = window(body, number.byte) << (number.up & 63);
            let value = ((raw as i64) >> (number.down & 63)) as i32 & number.mask as i32;
            let place = &mut frame.values[usize::from(number.to) % VALUES];
            difference |= u64::from((*place ^ value) as u32);
            *place = value;
        }
        if self.unusual {
            difference |= self.apply_unusual(body, frame);
        }
        difference != 0
    }

    /// What only few reports have.
    fn apply_unusual(&self, body: &[u8], frame: &mut Frame) -> u64 {
        let mut difference = 0u64;
        for number in &self.bigs {
            let raw = window(body, number.byte).swap_bytes() << (number.up & 63);
            let value = ((raw as i64) >> (number.down & 63)) as i32 & number.mask as i32;
            let place = &mut frame.values[usize::from(number.to) % VALUES];
            difference |= u64::from((*place ^ value) as u32);
            *place = value;
        }
        for list in &self.lists {
            let before = frame.bits;
            list.apply(body, frame);
            difference |= u64::from(before != frame.bits);
        }
        difference
    }
}

impl Row {
    /// Stores four values; returns whether any differs from before.
    #[inline(always)]
    fn put(&self, values: [i32; 4], frame: &mut Frame) -> u64 {
        let Some(places) = frame.values[usize::from(self.to) % VALUES..].first_chunk_mut::<4>() else { return 0 };
        let values: [i32; 4] = std::array::from_fn(|k| values[k] & self.mask[k]);
        let turned: [i32; 4] = std::array::from_fn(|k| values[k] ^ places[k]);
        *places = values;
        turned.iter().fold(0, |all, turned| all | u64::from(*turned as u32))
    }
}

impl List {
    fn apply(&self, body: &[u8], frame: &mut Frame) {
        let width = u32::from(self.width);
        for bit in self.to..self.to + self.len {
            frame.bits[usize::from(bit / 64) % WORDS] &= !(1 << (bit % 64));
        }
        for element in 0..u32::from(self.count) {
            let raw = crate::bits::extract(body, self.offset + element * width, width);
            let value = if self.first < 0 { crate::bits::sign_extend(raw, width) } else { raw as i32 };
            let index = i64::from(value) - i64::from(self.first);
            if (0..i64::from(self.len)).contains(&index) && Some(index as u16) != self.silent {
                let bit = self.to + index as u16;
                frame.bits[usize::from(bit / 64) % WORDS] |= 1 << (bit % 64);
            }
        }
    }
}
