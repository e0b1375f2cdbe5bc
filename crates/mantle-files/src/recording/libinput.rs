//! libinput record, version 1: a YAML document with the devices of a machine and their events.

use super::yaml::{self, Node};
use super::{Content, DEVICES, EvdevAxis, EvdevCaps, EvdevEvent, Line, RecordedDevice, RecordedEvent, Recording};
use mantle_core::time::Micros;
use mantle_hid::limits;

pub(super) fn read(bytes: &[u8]) -> Recording {
    let mut out = Recording::default();
    let text = match std::str::from_utf8(bytes) {
        Ok(text) => text,
        Err(error) => {
            let whole = Line { number: 1, offset: error.valid_up_to(), bytes: &[] };
            out.problem(&whole, "not UTF-8 from here on: the rest is not read");
            std::str::from_utf8(&bytes[..error.valid_up_to()]).unwrap_or_default()
        }
    };
    let (document, fault) = yaml::read(text);
    let whole = |line| Line { number: line, offset: 0, bytes: &[] };
    // The last block of a recording that was killed is truncated, which is fine.
    let last = text.lines().count();
    let cut = fault.as_ref().is_some_and(|(line, _)| *line >= last);
    if let Some((line, message)) = fault {
        if cut {
            out.warn(&whole(line), format!("the file is cut short here: {message}"));
        } else {
            out.problem(&whole(line), message);
        }
    }
    let Some(document) = document else {
        out.problem(&whole(1), "there is no document");
        return out;
    };
    if let Some(version) = document.get("version").filter(|version| version.number() != Some(1)) {
        out.problem(&whole(version.line), "only version 1 is read");
        return out;
    }
    let mut frames = Vec::new();
    for node in document.get("devices").map(Node::list).unwrap_or_default() {
        if out.devices.len() == DEVICES {
            out.problem(&whole(node.line), format!("more than {DEVICES} devices"));
            break;
        }
        match device(node) {
            Ok(device) => out.devices.push(device),
            Err((line, message)) => {
                out.problem(&whole(line), message);
                continue;
            }
        }
        let index = out.devices.len() - 1;
        for event in node.get("events").map(Node::list).unwrap_or_default() {
            for (kind, content) in event.map() {
                match frame(index, kind, content) {
                    Ok(found) => frames.extend(found),
                    // What was just being written is incomplete.
                    Err((line, _)) if cut && line + 1 >= last => {}
                    Err((line, message)) => out.problem(&whole(line), message),
                }
            }
        }
    }
    out.events = frames;
    out
}

type Fault = (usize, String);

fn numbers<const N: usize>(node: &Node, what: &str) -> Result<[i64; N], Fault> {
    let list = node.numbers().ok_or((node.line, format!("{what}: a list of numbers is expected")))?;
    list.try_into().map_err(|list: Vec<i64>| (node.line, format!("{what}: {} numbers, not {N}", list.len())))
}

fn narrow<T: TryFrom<i64>>(node: &Node, value: i64) -> Result<T, Fault> {
    T::try_from(value).map_err(|_| (node.line, format!("{value} is out of range here")))
}

fn device(node: &Node) -> Result<RecordedDevice, Fault> {
    let mut out = RecordedDevice { line: node.line, ..RecordedDevice::default() };
    if let Some(evdev) = node.get("evdev") {
        out.name = evdev.get("name").and_then(Node::text).unwrap_or_default().to_owned();
        if let Some(id) = evdev.get("id") {
            let [bus, vendor, product, version] = numbers::<4>(id, "id")?;
            (out.bus, out.vendor) = (narrow(id, bus)?, narrow(id, vendor)?);
            (out.product, out.version) = (narrow(id, product)?, narrow(id, version)?);
        }
        out.evdev = Some(caps(evdev)?);
    }
    if let Some(hid) = node.get("hid") {
        let bytes = hid.numbers().ok_or((hid.line, "hid: a list of bytes is expected".to_owned()))?;
        if bytes.len() > limits::DESCRIPTOR_BYTES {
            return Err((hid.line, format!("{} bytes of descriptor; there are at most 4096", bytes.len())));
        }
        out.descriptor = bytes.iter().map(|byte| narrow(hid, *byte)).collect::<Result<_, Fault>>()?;
    }
    Ok(out)
}

fn caps(evdev: &Node) -> Result<EvdevCaps, Fault> {
    let mut caps = EvdevCaps::default();
    for (kind, codes) in evdev.get("codes").map(Node::map).unwrap_or_default() {
        let kind: u16 = kind.parse().map_err(|_| (codes.line, format!("{kind:?} is not an event type")))?;
        for code in codes.list() {
            let number = code.number().ok_or((code.line, "a code is a number".to_owned()))?;
            if kind != 0 {
                caps.codes.push((kind, narrow(code, number)?));
            }
        }
    }
    for (code, range) in evdev.get("absinfo").map(Node::map).unwrap_or_default() {
        let code: u16 = code.parse().map_err(|_| (range.line, format!("{code:?} is not an axis")))?;
        let values = numbers::<5>(range, "absinfo")?;
        let [min, max, fuzz, flat, resolution] = values.map(|value| narrow::<i32>(range, value));
        let (fuzz, flat, resolution) = (fuzz?, flat?, resolution?);
        caps.axes.push(EvdevAxis { code, min: min?, max: max?, fuzz, flat, resolution });
    }
    for property in evdev.get("properties").map(Node::list).unwrap_or_default() {
        let number = property.number().ok_or((property.line, "a property is a number".to_owned()))?;
        caps.properties.push(narrow(property, number)?);
    }
    caps.codes.sort_unstable();
    caps.codes.dedup();
    Ok(caps)
}

fn stamp(node: &Node, seconds: i64, micros: i64) -> Result<Micros, Fault> {
    match (u64::try_from(seconds), u64::try_from(micros)) {
        (Ok(seconds), Ok(micros)) if seconds <= 1 << 33 && micros < 1_000_000 => {
            Ok(Micros(seconds * 1_000_000 + micros))
        }
        _ => Err((node.line, format!("{seconds} s and {micros} µs are no time"))),
    }
}

/// The events of one block; blocks other than the device's events are skipped.
fn frame(device: usize, kind: &str, node: &Node) -> Result<Option<RecordedEvent>, Fault> {
    match kind {
        "evdev" => {
            let mut events = Vec::new();
            let mut time = Micros(0);
            for event in node.list() {
                let [seconds, micros, kind, code, value] = numbers::<5>(event, "evdev")?;
                time = stamp(event, seconds, micros)?;
                let (kind, code) = (narrow(event, kind)?, narrow(event, code)?);
                if (kind, code) != (0u16, 0u16) {
                    events.push(EvdevEvent { kind, code, value: narrow(event, value)? });
                }
            }
            Ok(Some(RecordedEvent { device, time, content: Content::Evdev(events), line: node.line }))
        }
        "hid" => {
            let at = node.get("time").ok_or((node.line, "hid: it has no time".to_owned()))?;
            let [seconds, micros] = numbers::<2>(at, "time")?;
            let time = stamp(at, seconds, micros)?;
            let bytes = node.map().iter().find(|(key, _)| key != "time");
            let (_, bytes) = bytes.ok_or((node.line, "hid: it has no bytes".to_owned()))?;
            let list = bytes.numbers().ok_or((bytes.line, "hid: a list of bytes is expected".to_owned()))?;
            let report = list.iter().map(|byte| narrow(bytes, *byte)).collect::<Result<Vec<u8>, Fault>>()?;
            Ok(Some(RecordedEvent { device, time, content: Content::Report(report), line: node.line }))
        }
        _ => Ok(None),
    }
}
