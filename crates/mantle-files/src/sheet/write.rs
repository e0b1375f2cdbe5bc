//! Writes a sheet as text that is read back as the same sheet.

use mantle_core::control::{Half, Packing, Plays, Verify};
use mantle_core::measure::{Checksum, Width};
use mantle_core::outgoing::{Act, Encoder, OutField, StartUpStep};
use mantle_core::sheet::{MatchRule, Sheet, SheetControl, Where};
use mantle_core::time::Micros;
use mantle_hid::ReportKind;
use mantle_hid::bits::hex;
use std::fmt::Write;

/// The first line of a sheet that the program wrote itself, and may rewrite.
pub const FOUND: &str = "# Found by pressing.";

/// The text of a sheet.
#[must_use]
pub fn write(sheet: &Sheet) -> String {
    let mut out = format!("{FOUND}\nversion = 1\nname = {}\n", quoted(&sheet.name));
    if sheet.keep {
        out.push_str("keep = true\n");
    }
    if let Some(half) = sheet.half {
        let word = if half == Half::Left { "left" } else { "right" };
        let _ = writeln!(out, "half = {}", quoted(word));
    }
    if let Some(pairing) = &sheet.pairing {
        let _ = writeln!(out, "pairing = {}", quoted(pairing));
    }
    if !sheet.face.is_empty() {
        let _ = writeln!(out, "face = {}", crate::face::value(&sheet.face));
    }
    rule(&mut out, &sheet.rule);
    sheet.checks.iter().for_each(|check| checksum(&mut out, check));
    sheet.start_up.iter().for_each(|step| start_up(&mut out, step));
    for keep in &sheet.keep_alive {
        out.push_str("\n[[keep_alive]]\n");
        act(&mut out, &keep.act);
        let _ = writeln!(out, "every = {}", seconds(keep.every));
    }
    for silence in &sheet.silences {
        let _ = write!(out, "\n[[silent]]\nreport = {}\nafter = {}\n", silence.report, seconds(silence.after));
    }
    encoder(&mut out, "rumble", sheet.rumble.as_ref(), &["strong", "weak"]);
    encoder(&mut out, "light", sheet.light.as_ref(), &["red", "green", "blue"]);
    encoder(&mut out, "lamps", sheet.lamps.as_ref().map(|lamps| &lamps.encoder), &["player"]);
    if let Some(lamps) = &sheet.lamps {
        let _ = writeln!(out, "values = {:?}", lamps.values);
    }
    if let Some(battery) = &sheet.battery {
        let _ = write!(out, "\n[battery]\nlevel = {}\n", quoted(&battery.level));
        if let Some(charging) = &battery.charging {
            let _ = writeln!(out, "charging = {}", quoted(charging));
        }
    }
    let hints = &sheet.hints;
    let hints = [("lamps", &hints.lamps), ("elsewhere", &hints.elsewhere), ("mode", &hints.mode)];
    texts(&mut out, "connect", hints);
    if let Some(receiver) = &sheet.receiver {
        let _ = write!(out, "\n[receiver]\ncontrol = {}\nnobody = {}\n", quoted(&receiver.control), receiver.nobody);
        if let Some(pairs) = &receiver.pairs {
            let _ = writeln!(out, "pairs = {}", quoted(pairs));
        }
    }
    for motion in &sheet.motions {
        let of: Vec<String> = motion.of.iter().map(|name| quoted(name)).collect();
        let (name, of, rotation) = (quoted(&motion.name), of.join(", "), motion.rotation);
        let _ = write!(out, "\n[[motion]]\nname = {name}\nof = [{of}]\nrotation = {rotation:?}\n");
    }
    for contact in &sheet.contacts {
        let [x, y] = [0, 1].map(|axis: usize| quoted(&contact.at[axis]));
        let (name, touches) = (quoted(&contact.name), quoted(&contact.touches));
        let _ = write!(out, "\n[[contact]]\nname = {name}\ntouches = {touches}\nat = [{x}, {y}]\n");
    }
    sheet.controls.iter().for_each(|one| control(&mut out, one));
    out
}

/// A table of texts, unless it is empty.
fn texts<const N: usize>(out: &mut String, table: &str, all: [(&str, &Option<String>); N]) {
    if all.iter().any(|(_, text)| text.is_some()) {
        let _ = write!(out, "\n[{table}]\n");
    }
    for (key, text) in all {
        if let Some(text) = text {
            let _ = writeln!(out, "{key} = {}", quoted(text));
        }
    }
}

fn quoted(text: &str) -> String {
    toml_edit::Value::from(text).to_string().trim().to_owned()
}

fn seconds(span: Micros) -> String {
    format!("{:?}", span.0 as f64 / 1e6)
}

fn rule(out: &mut String, rule: &MatchRule) {
    out.push_str("\n[match]\n");
    match rule.bus {
        Some(3) => out.push_str("bus = \"usb\"\n"),
        Some(5) => out.push_str("bus = \"bluetooth\"\n"),
        Some(bus) => drop(writeln!(out, "bus = {bus}")),
        None => {}
    }
    if let Some(vendor) = rule.vendor {
        let _ = writeln!(out, "vendor = {vendor:#06x}");
    }
    match rule.product.as_slice() {
        [] => {}
        [one] => drop(writeln!(out, "product = {one:#06x}")),
        several => drop(writeln!(out, "product = {several:?}")),
    }
    if let Some(name) = &rule.name {
        let _ = writeln!(out, "name = {}", quoted(name));
    }
    if let Some(interface) = rule.interface {
        let _ = writeln!(out, "interface = {interface}");
    }
    if let Some(hash) = rule.descriptor {
        let _ = writeln!(out, "descriptor = \"{hash:016x}\"");
    }
}

fn checksum(out: &mut String, check: &Verify) {
    out.push_str("\n[[checksum]]\n");
    match check.kind {
        ReportKind::Input => {}
        ReportKind::Output => out.push_str("of = \"output\"\n"),
        ReportKind::Feature => out.push_str("of = \"feature\"\n"),
    }
    let _ = writeln!(out, "report = {}", check.report);
    match check.checksum {
        Checksum::Sum { plus } => drop(write!(out, "kind = \"sum\"\nplus = {plus}\n")),
        Checksum::Complement => out.push_str("kind = \"complement\"\n"),
        Checksum::Xor { with } => drop(write!(out, "kind = \"xor\"\nwith = {with}\n")),
        Checksum::Crc { bits, poly, init, mirrored, out: end, seed } => {
            let _ = write!(out, "kind = \"crc-{bits}\"\npolynomial = {poly:#x}\ninitial = {init:#x}\n");
            let _ = write!(out, "mirrored = {mirrored}\nfinal = {end:#x}\n");
            if let Some(seed) = seed {
                let _ = writeln!(out, "seed = {seed:#04x}");
            }
        }
    }
    if check.width == Width::TwoBig {
        out.push_str("order = \"big\"\n");
    }
    let _ = write!(out, "at = {}\nfrom = {}\n", check.at, check.from);
}

fn act(out: &mut String, act: &Act) {
    let _ = match act {
        Act::Get { report, length } => writeln!(out, "get = {report}\nlength = {length}"),
        Act::Send(kind, bytes) => {
            let kind = if *kind == ReportKind::Feature { "feature" } else { "output" };
            writeln!(out, "send = \"{kind}\"\nbytes = \"{}\"", hex(bytes))
        }
        // What the kernel's driver does is in no sheet.
        Act::Driver(_) => Ok(()),
    };
}

fn start_up(out: &mut String, step: &StartUpStep) {
    out.push_str("\n[[start_up]]\n");
    act(out, &step.act);
    if let Some(answer) = &step.answer {
        let byte = |byte: &Option<u8>| byte.map_or_else(|| "??".to_owned(), |byte| format!("{byte:02x}"));
        let pattern: Vec<String> = answer.pattern.iter().map(byte).collect();
        let _ = write!(out, "answer = \"{}\"\nwithin = {}\n", pattern.join(" "), seconds(answer.within));
    }
    if step.wait != Micros(0) {
        let _ = writeln!(out, "wait = {}", seconds(step.wait));
    }
}

fn encoder(out: &mut String, name: &str, encoder: Option<&Encoder>, fields: &[&str]) {
    let Some(encoder) = encoder else { return };
    let _ = write!(out, "\n[{name}]\n");
    act(out, &Act::Send(encoder.kind, encoder.bytes.clone()));
    for (name, field) in fields.iter().zip(&encoder.fields) {
        let OutField { at, size, packing, range } = field;
        let big = if *packing == Packing::Big { ", packing = \"big\"" } else { "" };
        let (min, max) = range;
        let _ = writeln!(out, "{name} = {{ at = {at}, size = {size}{big}, min = {min}, max = {max} }}");
    }
}

fn control(out: &mut String, control: &SheetControl) {
    let _ = write!(out, "\n[[control]]\nname = {}\nkind = \"{}\"\n", quoted(&control.name), control.kind.word());
    match control.source {
        Where::Usage(usage) => drop(writeln!(out, "usage = {:#010x}", usage.0)),
        Where::Bits { report, at, size, packing, signed } => {
            let _ = write!(out, "report = {report}\nat = {at}\nsize = {size}\n");
            if packing == Packing::Big {
                out.push_str("packing = \"big\"\n");
            }
            if signed {
                out.push_str("signed = true\n");
            }
        }
    }
    let translation = &control.translation;
    if let Some(mask) = translation.mask {
        let _ = writeln!(out, "mask = {mask:#x}");
    }
    if !translation.values.is_empty() {
        let pairs: Vec<String> = translation.values.iter().map(|(raw, value)| format!("[{raw}, {value}]")).collect();
        let _ = writeln!(out, "values = [{}]", pairs.join(", "));
    }
    if translation.inverted {
        out.push_str("inverted = true\n");
    }
    if let Some((min, max)) = control.range {
        let _ = write!(out, "min = {min}\nmax = {max}\n");
    }
    if let Some(rest) = control.rest {
        let _ = writeln!(out, "rest = {rest}");
    }
    if let Some(scale) = &control.scale {
        let _ =
            write!(out, "scale = {:?}\noffset = {:?}\nunit = {}\n", scale.factor, scale.offset, quoted(&scale.unit));
    }
    let sticks = ["left stick X", "left stick Y", "right stick X", "right stick Y"];
    let plays = match control.plays {
        Some(Plays::Target(target)) => target.name(),
        Some(Plays::Stick(axis)) => sticks[usize::from(axis) % sticks.len()],
        Some(Plays::DPad) => "d-pad",
        None => return,
    };
    let _ = writeln!(out, "plays = {}", quoted(plays));
}
