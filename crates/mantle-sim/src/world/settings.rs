//! What the table of a scene starts with.

use super::SimWorld;
use mantle_core::device::Key;
use mantle_core::pad::OwnPad;
use mantle_core::sheet::Sheet;
use mantle_core::slot::{Remembered, RememberedSlot, SlotNumber};
use mantle_core::table::{PLAIN, Settings};
use mantle_files::{SceneFile, shipped};
use std::sync::Arc;

/// The name of the slots file in messages.
const SLOTS: &str = "scene/slots.toml";

/// The scene's own sheets, and their faults.
pub(super) fn own_sheets(scene: &SceneFile) -> (Vec<Sheet>, Vec<String>) {
    let (mut sheets, mut faults) = (Vec::new(), Vec::new());
    for own in &scene.sheet {
        let read = mantle_files::sheet::read(&format!("scene/{}.sheet.toml", own.name), &own.text);
        sheets.extend(read.sheet);
        faults.extend(read.faults.iter().map(mantle_files::FileFault::sentence));
    }
    (sheets, faults)
}

/// The scene's own pad files, and their faults.
fn own_pads(scene: &SceneFile) -> (Vec<Arc<OwnPad>>, Vec<String>) {
    let (mut pads, mut faults) = (Vec::new(), Vec::new());
    for own in &scene.own_pad {
        let read =
            mantle_files::own_pad::read(&format!("scene/{}{}", own.name, mantle_files::own_pad::ENDING), &own.text);
        pads.extend(read.pad.map(Arc::new));
        faults.extend(read.faults.iter().map(mantle_files::FileFault::sentence));
    }
    (pads, faults)
}

impl SimWorld {
    /// What the table starts with in this scene.
    #[must_use]
    pub fn settings(&self) -> Settings {
        let mut remembered = Remembered::default();
        for (entry, presence) in self.scene.device.iter().zip(&self.present) {
            let profile = entry.profile.clone().unwrap_or_else(|| PLAIN.into());
            for (part, slot) in entry.slots.iter().flatten().enumerate() {
                let key = Key::new(&presence.device.identity_of(0), part as u8);
                let tied = remembered.slots.iter_mut().find(|other| Some(other.number) == SlotNumber::new(*slot));
                match (SlotNumber::new(*slot), tied) {
                    // Several devices of one slot are one player.
                    (Some(_), Some(tied)) => tied.members.push(key),
                    (Some(number), None) => {
                        // A scene with an impossible kind is refused when it is read.
                        let kind = entry.kind().unwrap_or_default();
                        let (profile, members) = (profile.clone(), vec![key]);
                        remembered.slots.push(RememberedSlot {
                            number,
                            kind,
                            profile,
                            feedback: Default::default(),
                            members,
                            away_since: None,
                        });
                    }
                    (None, _) => remembered.taken_out.push(key),
                }
            }
            if entry.left {
                remembered.left_to_game.push(Key::new(&presence.device.identity_of(0), 0));
            }
        }
        // Sheets that no device of the scene needs are read later, since they would delay the first frame.
        let (mut sheets, sheet_faults) = own_sheets(&self.scene);
        sheets.extend(if self.scene.without_sheets { Vec::new() } else { shipped::sheets_for(&self.ids()) });
        let (preferences, faults) = mantle_files::settings::parse("scene/settings.toml", &self.scene.settings);
        let faults = faults.iter().map(mantle_files::FileFault::sentence).collect();
        let setting_faults = if self.scene.settings.is_empty() { Vec::new() } else { faults };
        let (own_pads, pad_faults) = own_pads(&self.scene);
        let (rules, rule_faults) = match self.scene.games.as_str() {
            "" => Default::default(),
            text => mantle_files::games::parse(super::games::FILE, text),
        };
        let rule_faults = rule_faults.iter().map(mantle_files::FileFault::sentence).collect();
        let file_faults = [self.profiles.faults(), sheet_faults, setting_faults, pad_faults, rule_faults];
        let profiles = self.profiles.all();
        for own in self.scene.profile.iter().filter(|own| own.agreed) {
            // What it types is read later, if it is a shipped profile.
            let mut known = self.profiles.clone();
            known.read();
            let known = known.all();
            let Some(profile) = known.iter().find(|profile| profile.name == own.name) else { continue };
            let typed = profile.strokes().into_iter().filter(|stroke| stroke.types()).collect();
            remembered.agreed.push((own.name.clone(), typed));
        }
        let notices = self.scene.machine.notices.clone();
        Settings {
            remembered,
            profiles,
            own_pads,
            rules,
            cover: true,
            sheets,
            notices,
            file_faults,
            preferences,
            began: Some(super::radio::BEGAN),
            ..Settings::default()
        }
    }

    /// The person's files: where each is, and its text.
    pub(super) fn own_files(&self) -> Vec<(String, String)> {
        let mut profiles = self.profiles.clone();
        profiles.read();
        let mut files = profiles.texts();
        files.extend(self.profiles.unusable());
        let sheets = self.scene.sheet.iter().map(|own| (format!("scene/{}.sheet.toml", own.name), own.text.clone()));
        files.extend(sheets);
        let made = self.sheets.iter().map(|own| {
            let name = own.origin.rsplit('/').next().unwrap_or_default();
            (format!("scene/{}.sheet.toml", name.trim_end_matches(".sheet.toml")), mantle_files::sheet::write(own))
        });
        files.extend(made);
        let pads = self.scene.own_pad.iter();
        files
            .extend(pads.map(|own| (format!("scene/{}{}", own.name, mantle_files::own_pad::ENDING), own.text.clone())));
        let remembered = self.remembered.clone().unwrap_or_else(|| self.settings().remembered);
        files.extend(mantle_files::slots::render(SLOTS, "", &remembered).ok().map(|text| (SLOTS.to_owned(), text)));
        for (path, text) in [("scene/settings.toml", &self.scene.settings), (super::games::FILE, self.games.text())] {
            if !text.is_empty() {
                files.push((path.to_owned(), text.clone()));
            }
        }
        files
    }

    /// Vendor and product of every device of the scene.
    fn ids(&self) -> Vec<(u16, u16)> {
        let all = self.present.iter().map(|presence| presence.device.identity_of(0));
        all.map(|identity| (identity.vendor, identity.product)).collect()
    }
}
