//! Profiles by purpose, to start from.

use super::change;
use mantle_core::binding::{Change, NewFrom, TEMPLATES};

/// The text of a template.
///
/// # Errors
/// There is none with that name; the existing ones are named.
pub fn template(name: &str) -> Result<&'static str, String> {
    let names = TEMPLATES.each_ref().map(|one| one.name);
    let known = names.contains(&name).then(|| mantle_shipped::find(mantle_shipped::templates(), name)).flatten();
    known.map(|found| found.text).ok_or_else(|| format!("there is no template {name}; there are {}", names.join(", ")))
}

/// The text of a new profile of this name, made from a template or a profile's text.
///
/// # Errors
/// There is no such template, or the text is no profile.
pub fn named_text(name: &str, from: &NewFrom, read: impl Fn(&str) -> Result<String, String>) -> Result<String, String> {
    let (origin, text) = match from {
        NewFrom::Template(name) => (name, template(name)?.to_owned()),
        NewFrom::File(path) => (path, read(path)?),
    };
    change(origin, &text, &[Change::Name(name.to_owned())]).map_err(|fault| fault.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;
    use mantle_core::binding::Template;

    #[test]
    fn every_template_is_read_without_faults() {
        assert_eq!(mantle_shipped::templates().len(), TEMPLATES.len());
        for Template { name, kind, .. } in TEMPLATES.clone() {
            let text = template(name).expect("it ships");
            let read = crate::profile::read(name, text);
            assert_eq!(read.faults, [], "{name}");
            let profile = read.profile.expect("a profile");
            assert_eq!(profile.name.replace(' ', "-"), name);
            assert!(profile.kinds().contains(&kind.name()), "{name} is for a {}", kind.name());
            assert!(!text.contains('\t') && text.starts_with("# "), "{name} says what it is for");
        }
        assert!(template("sailing").is_err_and(|why| why.contains("plain, driving, flying")));
    }
}
