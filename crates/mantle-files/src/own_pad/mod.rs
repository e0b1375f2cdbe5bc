//! Pad files: text files that describe a kind of pad. Documented in docs/pad-files.md.
//!
//! A pad with a fault does not count, since half of it would be something else to games.

mod reader;
#[cfg(test)]
mod tests;

use crate::fault::FileFault;
use crate::pointed::texts;
use mantle_core::pad::{OwnPad, PadHat, PadModel, lane_named, lane_names};
use std::fmt::Write;
use std::path::Path;
use std::sync::Arc;

/// The ending of a pad file's name.
pub const ENDING: &str = ".pad.toml";

/// A pad file as far as it could be read, with its faults.
#[derive(Clone, PartialEq, Debug)]
pub struct PadFile {
    /// The pad; none if it has any fault.
    pub pad: Option<OwnPad>,
    /// The faults, in the order of the file.
    pub faults: Vec<FileFault>,
}

/// Reads a pad file.
#[must_use]
pub fn read(path: &str, text: &str) -> PadFile {
    reader::read(path, text)
}

/// Reads all pad files of a directory, in the order of their names; none if it does not exist. Of two pads with one name, the second is
/// refused.
#[must_use]
pub fn read_directory(directory: &Path) -> (Vec<Arc<OwnPad>>, Vec<FileFault>) {
    let (mut pads, mut faults) = (Vec::<Arc<OwnPad>>::new(), Vec::new());
    for (shown, text) in texts(directory, |name| name.ends_with(ENDING)) {
        match text {
            Ok(text) => {
                let PadFile { pad, faults: own } = read(&shown, &text);
                faults.extend(own);
                let Some(pad) = pad else { continue };
                match pads.iter().find(|other| other.name.eq_ignore_ascii_case(&pad.name)) {
                    Some(other) => {
                        let message = format!("name = \"{}\": {}{ENDING} has that name already", pad.name, other.file);
                        faults.push(FileFault::whole(&shown, message));
                    }
                    None => pads.push(Arc::new(pad)),
                }
            }
            Err(fault) => faults.push(fault),
        }
    }
    (pads, faults)
}

/// The name in a pad file for a target on a model.
fn quoted(text: &str) -> String {
    format!("{text:?}")
}

/// A pad file that describes this pad completely, to start from.
#[must_use]
pub fn text_of(pad: &OwnPad) -> String {
    let model: PadModel = pad.model();
    let mut out = String::new();
    let id = pad.identity;
    let _ = write!(
        out,
        "# A pad of one's own, as a {like} is. See docs/pad-files.md. What is left out is as that one has it.\n\
         version = 1\nname = {name}\nlike = {like_name}\n\
         # What the system is told, and whether the slot's number stands behind it.\n\
         title = {title}\nnumbered = {numbered}\n\
         # Under which numbers games know it. Another layout wants another revision: libraries keep one for ids and revision.\n\
         bus = {bus}\nvendor = 0x{vendor:04x}\nproduct = 0x{product:04x}\nrevision = 0x{version:04x}\nrumble = {rumble}\n",
        like = pad.like.name(),
        name = quoted(&pad.name),
        like_name = quoted(pad.like.name()),
        title = quoted(&pad.title),
        numbered = pad.numbered,
        bus = id.bus,
        vendor = id.vendor,
        product = id.product,
        version = id.version,
        rumble = pad.rumble,
    );
    out.push_str("\n# Buttons: games count them from 0 in the order of their codes; without codes they are in the order of this file.\n");
    let mut buttons = pad.buttons.clone();
    buttons.sort_by_key(|(_, code)| *code);
    for (target, code) in buttons {
        let _ = writeln!(out, "[[button]]\ntarget = {}\ncode = 0x{code:03x}", quoted(model.name_of(target)));
    }
    out.push_str("\n# Axes, by the code that games know them by, and from end to end.\n");
    for axis in &pad.axes {
        let name = lane_names().find(|name| lane_named(name) == Some(axis.lane)).unwrap_or_default();
        let info = axis.info;
        let _ = writeln!(
            out,
            "[[axis]]\naxis = {}\ncode = 0x{:02x}\nmin = {}\nmax = {}",
            quoted(name),
            info.code,
            info.min,
            info.max
        );
    }
    out.push_str("\n# Hats: as a hat, as four buttons, or as two axes (then with codes of axes).\n");
    for (hat, PadHat { codes: [x, y], reach }) in &pad.hats {
        let form = if *reach == 1 { "hat" } else { "axes" };
        let _ = writeln!(out, "[[hat]]\nhat = {}\nform = \"{form}\"\ncodes = [0x{x:02x}, 0x{y:02x}]", hat + 1);
    }
    out
}
