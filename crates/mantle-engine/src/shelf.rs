//! Profiles as the screen sees them.

use mantle_core::binding::{Profile, differences};
use mantle_core::table::Table;
use mantle_talk::{DIFFERENCES, ProfileRow, ProfilesView};

/// All of them, and the differences of two, by index.
pub fn view(table: &Table, compared: (u16, u16)) -> ProfilesView {
    let all = table.profiles();
    let place = |at: u16| at.min(all.len().saturating_sub(1) as u16);
    let compared = (place(compared.0), place(compared.1));
    let of = |at: u16| all.get(usize::from(at));
    let mut found = of(compared.0).zip(of(compared.1)).map_or(Vec::new(), |(one, other)| differences(one, other));
    let count = found.len().min(usize::from(u16::MAX)) as u16;
    found.truncate(DIFFERENCES);
    ProfilesView { rows: all.iter().map(|profile| row(table, profile)).collect(), compared, differences: found, count }
}

/// For which kinds of pad each profile is.
pub fn kinds(table: &Table) -> Vec<Vec<String>> {
    let own = |profile: &Profile| profile.kinds().into_iter().map(str::to_owned).collect();
    table.profiles().iter().map(|profile| own(profile)).collect()
}

fn row(table: &Table, profile: &Profile) -> ProfileRow {
    let mut notes: String = profile.notes.trim().to_owned();
    notes.truncate(notes.char_indices().nth(300).map_or(notes.len(), |(at, _)| at));
    ProfileRow {
        name: profile.name.clone(),
        file: profile.origin.clone(),
        bindings: profile.rules.len().min(usize::from(u16::MAX)) as u16,
        layers: profile.layers.len() as u8,
        types: profile.strokes().iter().filter(|stroke| stroke.types()).count() as u16,
        kinds: profile.kinds().into_iter().map(str::to_owned).collect(),
        players: table.slots().filter(|(_, slot)| slot.profile == profile.name).map(|(number, _)| number).collect(),
        notes,
    }
}
