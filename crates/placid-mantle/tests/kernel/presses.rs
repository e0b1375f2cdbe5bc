//! The hand-written expectations, and the check of one device against them.

use crate::bench::{self, Bench, PLAYER};
use mantle_files::DeviceFile;
use mantle_lab::{Lines, RawPad, Reader, StandIn};
use std::time::Duration;

/// What one control must do.
#[derive(Clone, Debug)]
pub struct Press {
    /// The control.
    pub name: String,
    /// The report while it is pressed.
    pub down: Vec<u8>,
    /// The element in the game.
    pub element: String,
    /// Its value.
    pub value: i32,
    /// The same as the kernel has it: type, code, value.
    pub raw: (u16, u16, i32),
}

/// All of a device.
#[derive(Clone, Debug)]
pub struct Presses {
    /// The reports at rest.
    pub rest: Vec<Vec<u8>>,
    /// The controls.
    pub list: Vec<Press>,
}

/// Reads the expectations of a device.
pub fn of(device: &str) -> Presses {
    let table: toml::Table = include_str!("presses.toml").parse().expect("the expectations");
    let devices = table["device"].as_array().expect("devices");
    let one = devices.iter().find(|one| one["name"].as_str() == Some(device)).expect("the device is listed");
    let rest = one["rest"].as_str().expect("rest").split('/').map(bench::bytes).collect();
    let list = one["press"].as_array().expect("presses").iter().map(|press| {
        let text = |at: usize| press[at].as_str().expect("text").to_owned();
        let value = press[3].as_integer().expect("a value") as i32;
        let element = &table["elements"][press[2].as_str().expect("text")];
        let number = |at: usize| element[at].as_integer().map(|number| number as i32);
        let code = |at: usize| number(at).expect("a number") as u16;
        let raw = (code(0), code(1), number(2).unwrap_or(value));
        Press { name: text(0), down: bench::bytes(&text(1)), element: text(2), value, raw }
    });
    Presses { rest, list: list.collect() }
}

/// An event of a game: instance, element, value.
fn event(line: &str) -> Option<(i32, &str, i32)> {
    let mut words = line.split(' ');
    let kind = words.next()?;
    let (instance, element, value) = (words.next()?.parse().ok()?, words.next()?, words.next()?.parse().ok()?);
    matches!(kind, "button" | "axis").then_some((instance, element, value))
}

/// Presses one control, and waits for exactly what must come of it, in the game and on the event node, and for its end.
fn press(
    pad: &mut StandIn,
    game: &mut Reader,
    raw: &mut RawPad,
    presses: &Presses,
    press: &Press,
    instance: i32,
) -> Result<(), String> {
    let rest = presses.rest.iter().find(|rest| presses.rest.len() == 1 || rest[0] == press.down[0]).expect("a rest");
    for (report, value) in [(&press.down, press.value), (rest, 0)] {
        pad.send(0, report)?;
        let mut wrong = None;
        let what = format!("{}: {} = {value}", press.name, press.element);
        game.lines.wait(&what, |line| {
            let Some((at, element, came)) = event(line) else { return false };
            let meant = at == instance && element == press.element;
            // The library reports each axis once at rest when it first moves.
            if !meant && came != 0 {
                wrong = Some(line.to_owned());
            }
            wrong.is_some() || (meant && came == value)
        })?;
        if let Some(line) = wrong {
            return Err(format!("{what}: but the game got `{line}`"));
        }
        let (kind, code, full) = press.raw;
        let meant = [(kind, code, if value == 0 { 0 } else { full })];
        let frame = raw.frame(&what)?;
        if frame != meant {
            return Err(format!("{what}: the event node has {frame:x?}, not {meant:x?}"));
        }
    }
    Ok(())
}

/// Plugs a device in, starts an engine and a game, and tries every control. `parts` says which slots there must be.
pub fn check(bench: &Bench, file: &DeviceFile, presses: &Presses, slots: u8) -> Result<(), String> {
    let mut pad = StandIn::plug(file, "lab-1", None)?;
    let mut engine: Lines = bench.engine(&bench.home())?;
    let mut raw = Vec::new();
    for slot in 1..=slots {
        raw.push(RawPad::open(&bench::pad(&mut engine, slot)?)?);
    }
    engine.wait("the device to be covered", |line| line.contains("is covered"))?;
    mantle_lab::wait_for("the engine to listen", || pad.is_open(0).then_some(()))?;
    let mut game = bench.game(Some(PLAYER))?;
    let instances = (0..slots).map(|_| game.added()).collect::<Result<Vec<i32>, String>>()?;
    // Three reports at rest, so that the engine knows where axes rest.
    for rest in presses.rest.iter().cycle().take(3 * presses.rest.len()) {
        pad.send(0, rest)?;
    }
    for one in &presses.list {
        let part = one.name.strip_prefix("2:").map_or(0, |_| 1);
        press(&mut pad, &mut game, &mut raw[part], presses, one, instances[part])?;
    }
    let after = game.lines.until_quiet(Duration::from_millis(300));
    let late: Vec<_> = after.iter().filter(|line| event(line).is_some_and(|(_, _, value)| value != 0)).collect();
    if !late.is_empty() {
        return Err(format!("the game got more than was pressed: {late:?}"));
    }
    bench::end(engine)
}
