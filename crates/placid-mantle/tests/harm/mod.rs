//! Files of somebody who means harm.
#![allow(dead_code, reason = "not every test uses all of them")]

/// A title for the window, a bell, a cleared screen, text that runs backwards, and somebody else's line.
pub const HOSTILE: &str = "Z\u{1b}]0;own\u{7}\u{9b}2J\u{202e}\nFORGED\r\u{85}\u{2066}";
/// The same as a basic string of TOML.
pub const IN_TOML: &str = r#""Z\u001b]0;own\u0007\u009b2J\u202e\nFORGED\r\u0085\u2066""#;
pub fn device() -> String {
    let plain = include_str!("../../../../devices/quay-pad.device.toml");
    plain.replace("name = \"Quay pad\"", &format!("name = {IN_TOML}\nserial = {IN_TOML}"))
}

pub fn profile() -> String {
    format!(
        "version = 1\nname = {IN_TOML}\n# \u{202e}backwards\n[actions]\nSouth = {IN_TOML}\n[[layer]]\nname = {IN_TOML}\nhold = \"button 3\"\n\
         [[binding]]\ntarget = \"South\"\nsource = {IN_TOML}\n[[binding]]\ntarget = {IN_TOML}\nsource = \"button 2\"\n\
         [[binding]]\ntarget = \"East\"\nsource = \"button 2\"\nlayer = {IN_TOML}\n"
    )
}

pub fn sheet() -> String {
    format!(
        "version = 1\nname = {IN_TOML}\n[match]\nvendor = 0x1209\nproduct = 0x0a02\nname = {IN_TOML}\n[[control]]\nname = {IN_TOML}\nkind = \"button\"\n\
         report = 1\nat = 8\n[[control]]\nname = \"x\"\nkind = {IN_TOML}\nreport = 1\nat = 9\n{IN_TOML} = 1\n"
    )
}

pub fn scene() -> String {
    format!(
        "version = 1\ntitle = {IN_TOML}\n[[profile]]\nname = {IN_TOML}\n[[device]]\nfile = \"hostile.device.toml\"\nport = {IN_TOML}\n\
         serial = {IN_TOML}\ndriver = {IN_TOML}\nprofile = {IN_TOML}\n[[device]]\nfile = \"harbour-panel\"\nport = \"1-3\"\nreadable = false\n"
    )
}

/// A recording of a report, with this name for its device.
pub fn recording() -> String {
    let name: String = HOSTILE.chars().filter(|c| !matches!(c, '\n' | '\r')).collect();
    format!(
        "# {name}\nR: 17 05 01 09 05 a1 01 15 00 25 01 75 01 95 08 05 09 19 01 29 08 81\nN: {name}\nP: {name}\nI: 3 1209 0a02\n\
         E: 000000.000000 1 01\nE: 000000.500000 1 00\n{name}: 3\n"
    )
}
