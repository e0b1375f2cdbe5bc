//! When known devices were last seen: a file of this account's own, since the daemon does not say.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::SystemTime;

/// So many are remembered.
const MOST: usize = 200;

/// When devices were last seen, by their addresses, in seconds from the beginning of 1970.
#[derive(Debug, Default)]
pub(crate) struct Seen {
    file: Option<PathBuf>,
    at: BTreeMap<String, u64>,
}

impl Seen {
    /// What is remembered; a file that cannot be read is started again.
    pub fn open(file: Option<PathBuf>) -> Self {
        let text = file.as_ref().and_then(|file| std::fs::read_to_string(file).ok()).unwrap_or_default();
        let at = toml::from_str(&text).unwrap_or_default();
        Self { file, at }
    }

    /// When a device was seen last.
    pub fn of(&self, address: &str) -> Option<u64> {
        self.at.get(address).copied()
    }

    /// It is seen now.
    pub fn now(&mut self, address: &str) {
        let now = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default().as_secs();
        self.at.insert(address.to_owned(), now);
        while self.at.len() > MOST {
            let Some(oldest) = self.at.iter().min_by_key(|(_, at)| **at).map(|(address, _)| address.clone()) else {
                break;
            };
            self.at.remove(&oldest);
        }
        self.save();
    }

    /// It is forgotten.
    pub fn forget(&mut self, address: &str) {
        if self.at.remove(address).is_some() {
            self.save();
        }
    }

    /// What cannot be saved is not remembered, which harms nobody.
    fn save(&self) {
        if let (Some(file), Ok(text)) = (&self.file, toml::to_string(&self.at)) {
            let _ = mantle_files::save(file, text.as_bytes());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn devices_are_remembered_until_forgotten_and_a_broken_file_is_replaced() {
        let place = tempfile::tempdir().expect("a directory");
        let file = place.path().join("state/radio.toml");
        let mut seen = Seen::open(Some(file.clone()));
        assert_eq!(seen.of("02:00:00:00:00:01"), None);
        seen.now("02:00:00:00:00:01");
        let at = Seen::open(Some(file.clone())).of("02:00:00:00:00:01").expect("it is remembered");
        assert!(at > 1_700_000_000);
        seen.forget("02:00:00:00:00:01");
        assert_eq!(Seen::open(Some(file.clone())).of("02:00:00:00:00:01"), None);
        std::fs::write(&file, "\"half a").expect("written");
        let mut seen = Seen::open(Some(file.clone()));
        (0..300).for_each(|number| seen.now(&format!("02:00:00:00:01:{number}")));
        assert_eq!(Seen::open(Some(file)).at.len(), MOST);
    }
}
