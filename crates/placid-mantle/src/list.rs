//! `devices`: what is connected, for people and for scripts.

use crate::exit::Exit;
use crate::say::say;
use mantle_core::control::Layout;
use mantle_core::device::NodeFacts;
use mantle_hid::Descriptor;
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct Row {
    node: String,
    name: String,
    bus: String,
    vendor: u16,
    product: u16,
    serial: String,
    port: Option<String>,
    interface: Option<u8>,
    driver: String,
    descriptor: String,
    inputs: Vec<String>,
    readable: bool,
    parts: Vec<Part>,
    problem: Option<String>,
}

#[derive(Serialize)]
struct Part {
    what: String,
    controls: usize,
    game_controller: bool,
}

/// Lists the connected devices.
pub fn run(json: bool) -> Exit {
    let rows: Vec<Row> = mantle_linux::scan::nodes(Path::new("/sys")).iter().map(row).collect();
    if json {
        let Ok(text) = crate::say::json(&rows) else { return Exit::Failed };
        say!("{text}");
        return Exit::Fine;
    }
    if rows.is_empty() {
        say!("No HID device and no input node is connected.");
    }
    for row in rows {
        let access = if row.readable { "" } else { "  (may not be opened: placid-mantle setup --install)" };
        say!("{}  {:04x}:{:04x}  {}{access}", row.node, row.vendor, row.product, row.name);
        say!("    {} {}  driver {}", row.bus, row.port.as_deref().unwrap_or("–"), row.driver);
        for part in &row.parts {
            let controller = if part.game_controller { ", a game controller" } else { "" };
            say!("    {}: {} controls{controller}", part.what, part.controls);
        }
        if let Some(problem) = &row.problem {
            say!("    {problem}");
        }
    }
    Exit::Fine
}

fn row(facts: &NodeFacts) -> Row {
    let identity = &facts.identity;
    let (parts, problem) = match Descriptor::parse(&facts.descriptor) {
        Ok(descriptor) => {
            let parts = Layout::new(&descriptor).parts.into_iter().map(|part| Part {
                what: part.usage.name(),
                controls: part.controls.len(),
                game_controller: part.is_game_controller(),
            });
            (parts.collect(), None)
        }
        Err(error) => (Vec::new(), Some(format!("its report descriptor cannot be read: {error}"))),
    };
    Row {
        node: facts.path.clone(),
        name: identity.name.clone(),
        bus: identity.bus.name(),
        vendor: identity.vendor,
        product: identity.product,
        serial: identity.uniq.clone(),
        port: identity.port.clone(),
        interface: identity.interface,
        driver: facts.driver.name().to_owned(),
        descriptor: format!("{:016x}", identity.descriptor_hash),
        inputs: facts.inputs.clone(),
        readable: rustix::fs::access(&facts.path, rustix::fs::Access::READ_OK).is_ok(),
        parts,
        problem,
    }
}
