//! The evemu text format, up to 1.3: capabilities and events of one input node.

use super::{
    Content, EvdevAxis, EvdevCaps, EvdevEvent, Line, RecordedDevice, RecordedEvent, Recording, byte, lines, number16,
    tagged, time,
};
use mantle_core::time::Micros;

const SYN: u16 = 0;
const SYN_REPORT: u16 = 0;
/// The most events in a frame; longer ones are cut into several.
const FRAME: usize = 1024;

pub(super) fn read(bytes: &[u8]) -> Recording {
    let mut out = Recording::default();
    let device = RecordedDevice { line: 1, evdev: Some(EvdevCaps::default()), ..RecordedDevice::default() };
    out.devices.push(device);
    let versioned = bytes.starts_with(b"# EVEMU");
    let mut reader = EvemuReader::default();
    for line in lines(bytes) {
        match line.text() {
            Ok(text) if text.starts_with('#') => {}
            Ok(text) => {
                if let Some((tag, rest)) = tagged(text) {
                    // Older files have no comments after their lines, and names may contain `#`.
                    let plain = rest.split("\t#").next().unwrap_or(rest).trim();
                    let rest = if versioned || tag != 'N' { plain } else { rest };
                    if let Err(message) = reader.handle(&mut out, &line, tag, rest) {
                        out.problem(&line, message);
                    }
                }
            }
            Err(message) => out.problem(&line, message),
        }
    }
    reader.finish(&mut out);
    out
}

#[derive(Default)]
struct EvemuReader {
    first: Option<Micros>,
    last: Micros,
    frame: Vec<EvdevEvent>,
    line: usize,
    /// Codes of each event type from `B:` lines so far, in bytes.
    told: std::collections::BTreeMap<u16, u16>,
    properties: u16,
}

impl EvemuReader {
    fn handle(&mut self, out: &mut Recording, line: &Line<'_>, tag: char, rest: &str) -> Result<(), String> {
        let words: Vec<&str> = rest.split_ascii_whitespace().collect();
        match tag {
            'N' => out.devices[0].name = rest.into(),
            'I' => {
                let ids = words.iter().map(|word| number16(word)).collect::<Result<Vec<u16>, String>>()?;
                let [bus, vendor, product, version] = ids[..] else {
                    return Err(format!("{} numbers; bus, vendor, product and version are four", ids.len()));
                };
                let device = &mut out.devices[0];
                (device.bus, device.vendor, device.product, device.version) = (bus, vendor, product, version);
            }
            'P' => {
                let from = self.properties;
                let bits = bits_of(&words, from)?;
                self.properties = from.saturating_add(words.len() as u16);
                caps(out).properties.extend(bits);
            }
            'B' => {
                let (kind, bytes) = words.split_first().ok_or("an event type and bytes are expected")?;
                let kind = number16(kind)?;
                let from = self.told.entry(kind).or_default();
                let bits = bits_of(bytes, *from)?;
                *from = from.saturating_add(bytes.len() as u16);
                if kind != SYN {
                    caps(out).codes.extend(bits.into_iter().map(|code| (kind, code)));
                }
            }
            'A' => {
                let (code, numbers) = words.split_first().ok_or("an axis and its range are expected")?;
                let numbers = numbers
                    .iter()
                    .map(|word| word.parse().map_err(|_| format!("{word:?} is not a number")))
                    .collect::<Result<Vec<i32>, String>>()?;
                let [min, max, fuzz, flat, ref resolution @ ..] = numbers[..] else {
                    return Err(format!("{} numbers; minimum, maximum, fuzz and flat are four", numbers.len()));
                };
                let resolution = resolution.first().copied().unwrap_or(0);
                caps(out).axes.push(EvdevAxis { code: number16(code)?, min, max, fuzz, flat, resolution });
            }
            'E' => return self.event(out, line, &words),
            _ => {}
        }
        Ok(())
    }

    fn event(&mut self, out: &mut Recording, line: &Line<'_>, words: &[&str]) -> Result<(), String> {
        let [stamp, kind, code, value, ..] = words else {
            return Err("time, type, code and value are expected".into());
        };
        let at = time(stamp)?;
        let (kind, code) = (number16(kind)?, number16(code)?);
        let value: i32 = value.parse().map_err(|_| format!("{value:?} is not a number"))?;
        let first = *self.first.get_or_insert(at);
        if at < self.last {
            out.warn(line, "time goes backwards here");
        }
        self.last = at;
        if self.frame.is_empty() {
            self.line = line.number;
        }
        if (kind, code) != (SYN, SYN_REPORT) {
            self.frame.push(EvdevEvent { kind, code, value });
        }
        if (kind, code) == (SYN, SYN_REPORT) || self.frame.len() == FRAME {
            self.flush(out, at.since(first));
        }
        Ok(())
    }

    fn flush(&mut self, out: &mut Recording, time: Micros) {
        let content = Content::Evdev(std::mem::take(&mut self.frame));
        out.events.push(RecordedEvent { device: 0, time, content, line: self.line });
    }

    /// A truncated file may end within a frame; its events count.
    fn finish(&mut self, out: &mut Recording) {
        if !self.frame.is_empty() {
            self.flush(out, self.last.since(self.first.unwrap_or_default()));
        }
        let caps = caps(out);
        caps.codes.sort_unstable();
        caps.codes.dedup();
        if caps.codes.is_empty() && out.events.is_empty() {
            let line = Line { number: 1, offset: 0, bytes: &[] };
            out.problem(&line, "neither capabilities (B:) nor events (E:) are there");
        }
    }
}

fn caps(out: &mut Recording) -> &mut EvdevCaps {
    out.devices[0].evdev.get_or_insert_default()
}

/// The numbers of the set bits in some bytes, the first of which is byte `from` of the bitmap.
fn bits_of(words: &[&str], from: u16) -> Result<Vec<u16>, String> {
    // The largest bitmap, that of keys, has 96 bytes.
    if usize::from(from) + words.len() > 128 {
        return Err("the bitmap goes on for longer than there are codes".into());
    }
    let mut bits = Vec::new();
    for (index, word) in words.iter().enumerate() {
        let byte = byte(word)?;
        bits.extend((0..8).filter(|bit| byte >> bit & 1 == 1).map(|bit| (from + index as u16) * 8 + bit));
    }
    Ok(bits)
}
