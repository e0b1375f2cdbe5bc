//! Profiles by purpose, to begin with.

/// Their names, what they are for, and their texts.
pub const TEMPLATES: [(&str, &str, &str); 6] = [
    ("plain", "says nothing: everything plays as guessed", include_str!("../../../../templates/plain.profile.toml")),
    (
        "driving",
        "a wheel or stick that steers with a slow middle, pedals as triggers",
        include_str!("../../../../templates/driving.profile.toml"),
    ),
    (
        "flying",
        "a calm stick, twist or pedals as rudder, throttle as trigger",
        include_str!("../../../../templates/flying.profile.toml"),
    ),
    ("pointing", "a mouse that aims with the right stick", include_str!("../../../../templates/pointing.profile.toml")),
    (
        "one-handed",
        "a stick and a few buttons that change sides at a press",
        include_str!("../../../../templates/one-handed.profile.toml"),
    ),
    (
        "keys-only",
        "keyboard and mouse for games that know no pad",
        include_str!("../../../../templates/keys-only.profile.toml"),
    ),
];

/// The text of one.
///
/// # Errors
/// There is none of that name; those that there are are named.
pub fn template(name: &str) -> Result<&'static str, String> {
    let found = TEMPLATES.iter().find(|(own, ..)| *own == name).map(|(_, _, text)| *text);
    let names: Vec<&str> = TEMPLATES.iter().map(|(own, ..)| *own).collect();
    found.ok_or_else(|| format!("there is no template {name}; there are {}", names.join(", ")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_template_can_be_read_without_a_fault() {
        for (name, _, text) in TEMPLATES {
            let read = crate::profile::read(name, text);
            assert_eq!(read.faults, [], "{name}");
            let profile = read.profile.expect("a profile");
            assert_eq!(profile.name.replace(' ', "-"), name);
            assert!(!text.contains('\t') && text.starts_with("# "), "{name} says what it is for");
        }
        assert!(template("sailing").is_err_and(|why| why.contains("plain, driving, flying")));
    }
}
