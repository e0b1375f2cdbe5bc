//! The files of a case, and what its table starts with.

use crate::profiles::Profiles;
use mantle_core::sheet::Sheet;
use mantle_core::table::Settings;
use mantle_files::case::{Case, CaseText};
use mantle_files::{FileFault, games, own_pad, settings, sheet, shipped, slots};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The files of a case as they are now, and as they were at its end. Clones share them.
#[derive(Clone, Debug, Default)]
pub struct CaseFiles(Arc<Mutex<[Vec<CaseText>; 2]>>);

impl CaseFiles {
    /// Those of a case.
    pub(super) fn of(case: &Case) -> Self {
        Self(Arc::new(Mutex::new([case.file.clone(), case.file.clone()])))
    }

    fn lock(&self) -> MutexGuard<'_, [Vec<CaseText>; 2]> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// As they are now.
    #[must_use]
    pub fn now(&self) -> Vec<CaseText> {
        self.lock()[0].clone()
    }

    /// As they were at the end of the case, before anybody changed anything.
    #[must_use]
    pub fn before(&self) -> Vec<CaseText> {
        self.lock()[1].clone()
    }

    /// This is the end of the case.
    pub(super) fn mark(&self) {
        let [now, before] = &mut *self.lock();
        before.clone_from(now);
    }

    pub(super) fn text(&self, name: &str) -> Option<CaseText> {
        self.lock()[0].iter().find(|file| file.name == name).cloned()
    }

    pub(super) fn put(&self, name: &str, path: &str, text: String) {
        let [all, _] = &mut *self.lock();
        match all.iter_mut().find(|file| file.name == name) {
            Some(file) => file.text = text,
            None => all.push(CaseText { name: name.to_owned(), path: path.to_owned(), text }),
        }
    }

    /// Those with names that end so.
    fn ending(&self, ending: &str) -> Vec<CaseText> {
        self.now().into_iter().filter(|file| file.name.ends_with(ending)).collect()
    }
}

fn sentences(faults: &[FileFault]) -> Vec<String> {
    faults.iter().map(FileFault::sentence).collect()
}

/// The sheets of the files, then those that come with the program, and the faults of the former.
pub(super) fn sheets_of(files: &CaseFiles, with_shipped: bool) -> (Vec<Sheet>, Vec<String>) {
    let (mut sheets, mut faults) = (Vec::new(), Vec::new());
    for file in files.ending(".sheet.toml") {
        let read = sheet::read(&file.path, &file.text);
        sheets.extend(read.sheet);
        faults.extend(sentences(&read.faults));
    }
    sheets.extend(if with_shipped { shipped::sheets() } else { Vec::new() });
    (sheets, faults)
}

/// What the table of a case starts with, and its profiles.
pub(super) fn settings_of(case: &Case, files: &CaseFiles) -> (Settings, Profiles) {
    let profiles = Profiles::of_texts(&files.ending(".profile.toml"));
    let (sheets, sheet_faults) = sheets_of(files, case.shipped_sheets);
    let (mut own_pads, mut pad_faults) = (Vec::new(), Vec::new());
    for file in files.ending(own_pad::ENDING) {
        let read = own_pad::read(&file.path, &file.text);
        own_pads.extend(read.pad.map(Arc::new));
        pad_faults.extend(sentences(&read.faults));
    }
    let (preferences, setting_faults) =
        files.text(settings::FILE).map(|file| settings::parse(&file.path, &file.text)).unwrap_or_default();
    let (rules, rule_faults) =
        files.text(games::FILE).map(|file| games::parse(&file.path, &file.text)).unwrap_or_default();
    let remembered = files.text(slots::FILE).and_then(|file| slots::parse(&file.path, &file.text).ok());
    let settings = Settings {
        remembered: remembered.unwrap_or_default(),
        profiles: profiles.all(),
        own_pads,
        cover: case.covers,
        sheets,
        notices: case.notices.clone(),
        file_faults: [profiles.faults(), sheet_faults, sentences(&setting_faults), pad_faults, sentences(&rule_faults)],
        rules,
        preferences,
        began: case.began,
        ..Settings::default()
    };
    (settings, profiles)
}
