//! `sight`: what a game would see of this machine, for people and for scripts.

use crate::asking::Asked;
use crate::exit::{Exit, refuse};
use crate::say::{say, say_error};
use mantle_core::sight::{GameList, Look, Owner, ProgramRow, RowStanding, SightView, Verdict, Whose};
use mantle_core::slot::SlotNumber;
use mantle_linux::sight::{self, SightPaths};
use mantle_talk::{Command, Watch};
use serde::Serialize;

#[derive(Serialize)]
struct SightSaid {
    engine: bool,
    slots: Vec<SlotSaid>,
    #[serde(flatten)]
    view: SightView,
    process: Option<ProgramRow>,
}

#[derive(Serialize)]
struct SlotSaid {
    slot: SlotNumber,
    number: Option<u16>,
    verdict: Verdict,
    sentence: String,
}

/// Prints what a game sees; for one process, in more detail.
pub fn run(json: bool, process: Option<u32>) -> Exit {
    let mut look = sight::look(&SightPaths::default(), process);
    let owners = match Asked::quietly() {
        Some(engine) => match engine.seen() {
            Ok(view) => Some(owners(&view)),
            Err(exit) => return exit,
        },
        None => None,
    };
    probe(&mut look, owners.as_deref().unwrap_or_default());
    if let Some(pid) = process
        && !look.programs.iter().any(|one| one.pid == pid)
    {
        return refuse(match std::path::Path::new(&format!("/proc/{pid}")).exists() {
            true => format!("this account may not inspect process {pid}: it belongs to another account, or to root"),
            false => format!("there is no process {pid}"),
        });
    }
    let sight = GameList::of(&look, owners.as_deref().unwrap_or_default());
    let view = sight.view();
    let slots: Vec<SlotSaid> = SlotNumber::all()
        .filter(|slot| sight.list.iter().any(|entry| entry.whose == Whose::Pad(*slot)))
        .map(|slot| {
            let verdict = Verdict::of(&sight, slot);
            SlotSaid { slot, number: verdict.number(), sentence: verdict.sentence(slot), verdict }
        })
        .collect();
    let asked = process.and_then(|pid| view.programs.iter().find(|one| one.pid == pid).cloned());
    let said = SightSaid { engine: owners.is_some(), slots, view, process: asked };
    if json {
        let Ok(text) = crate::say::json(&said) else { return Exit::Failed };
        say!("{text}");
    } else {
        tell(&said);
    }
    Exit::Fine
}

/// The owner of each node, as the engine knows it.
fn owners(view: &SightView) -> Vec<Owner> {
    let rows = view.rows.iter().filter(|row| matches!(row.whose, Whose::Pad(_) | Whose::Ours | Whose::Device(..)));
    let of = |row: &mantle_core::sight::ListedDevice| {
        let (whose, cover) = (row.whose.clone(), row.cover.clone());
        row.nodes
            .iter()
            .map(|node| Owner { node: node.clone(), whose: whose.clone(), cover: cover.clone() })
            .collect::<Vec<_>>()
    };
    rows.flat_map(of).collect()
}

/// Whether another program has grabbed a controller; this grabs it for a moment, except the engine's own devices.
fn probe(look: &mut Look, owners: &[Owner]) {
    let played = |node: &&mut mantle_core::sight::SeenNode| {
        let is_pad = node.takes().is_pad() && node.event_number().is_some();
        is_pad && node.refused.is_none() && !owners.iter().any(|owner| owner.node == node.path)
    };
    for node in look.nodes.iter_mut().filter(played) {
        node.grabbed = sight::probe(&node.path);
    }
}

fn tell(said: &SightSaid) {
    let view = &said.view;
    if !said.engine {
        say_error!(
            "placid-mantle: no engine is running to say what belongs to which slot; this is the machine without one"
        );
    }
    for slot in &said.slots {
        say!("{}", slot.sentence);
    }
    if !said.slots.is_empty() {
        say!();
    }
    if let Some(program) = &said.process {
        return tell_program(program, view);
    }
    let played = view.rows.iter().filter(|row| row.number.is_some()).count();
    match played {
        0 => say!("A game started now finds no controller."),
        _ => say!("A game started now finds, in this order:"),
    }
    for row in &view.rows {
        let number = row.number.map_or_else(|| "–".to_owned(), |number| number.to_string());
        let sign = if row.standing == RowStanding::Wrong { "look: " } else { "" };
        let (vendor, product) = row.ids;
        let differs = row.differs.map_or(String::new(), |other| format!(", by some libraries {}", other.words()));
        say!(
            "{number:>3}  {} {vendor:04x}:{product:04x}  {}  {}{differs}  {sign}{}",
            row.name,
            row.whose(),
            row.takes.words(),
            row.words
        );
        let mut more = vec![row.nodes.join(" ")];
        more.extend(row.refused().map(|why| format!("cannot be opened ({why})")));
        more.extend((!row.cover().is_empty()).then(|| row.cover().to_owned()));
        more.extend(row.held_by().map(|who| format!("held by {who}")));
        let holders: Vec<&str> = row.holders.iter().map(|holder| holder.name.as_str()).collect();
        more.extend((!holders.is_empty()).then(|| format!("open by {}", holders.join(", "))));
        say!("     {}", more.join("  "));
        if !row.mend.is_empty() {
            say!("     remedy: {}", row.mend);
        }
    }
    if view.more > 0 {
        say!("     and {} more", view.more);
    }
    if !view.programs.is_empty() {
        say!();
        say!("Programs that have any of these open:");
        view.programs.iter().for_each(|program| say!("     {}", program_words(program, view.now)));
    }
    if view.closed > 0 {
        say!("{} processes of other accounts cannot be inspected.", view.closed);
    }
    if !view.udev {
        say!("udev has no database here: games list devices by node number and by what they can do.");
    }
}

fn program_words(program: &ProgramRow, now: Option<u64>) -> String {
    let runs = program.since.zip(now).map(|(since, now)| format!("  for {} s", now.saturating_sub(since)));
    let opens = if program.opens.is_empty() { "nothing of it".to_owned() } else { program.opens.join(", ") };
    let words = if program.words.is_empty() { String::new() } else { format!("  look: {}", program.words) };
    format!("{} ({}){}  {opens}{words}", program.name, program.pid, runs.unwrap_or_default())
}

fn tell_program(program: &ProgramRow, view: &SightView) {
    say!("{}", program_words(program, view.now));
    for node in &program.nodes {
        let row = view.rows.iter().find(|row| row.nodes.contains(node));
        say!("     {node}  {}", row.map_or_else(String::new, |row| format!("{}  {}", row.name, row.whose())));
    }
    match program.shut_in {
        None => say!("It sees the same /dev as everybody else."),
        Some(shows) => say!("It has its own /dev, which shows {shows} of what a game could play with."),
    }
    if program.makes {
        say!("It makes input devices itself.");
    }
}

impl Asked {
    /// What the engine's screens show of the machine.
    fn seen(&self) -> Result<SightView, Exit> {
        self.order(mantle_talk::Wish::Command(Command::Look));
        self.order(mantle_talk::Wish::Watch(Watch { sight: true, ..Watch::default() }));
        self.wait(|snapshot| snapshot.sight.as_deref().filter(|view| !view.outdated).cloned())
    }
}
