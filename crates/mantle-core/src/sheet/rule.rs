//! Which devices a sheet is for.

use crate::device::Identity;

/// Which devices a sheet is for: everything stated must fit.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct MatchRule {
    /// Bus type.
    pub bus: Option<u16>,
    /// Vendor id.
    pub vendor: Option<u16>,
    /// Product ids, any of them.
    pub product: Vec<u16>,
    /// A name; `*` stands for anything.
    pub name: Option<String>,
    /// The number of its interface.
    pub interface: Option<u8>,
    /// The descriptor's hash.
    pub descriptor: Option<u64>,
}

impl MatchRule {
    /// Whether a device is one that the sheet is for.
    #[must_use]
    pub fn fits(&self, identity: &Identity) -> bool {
        self.bus.is_none_or(|bus| bus == identity.bus.0)
            && self.vendor.is_none_or(|vendor| vendor == identity.vendor)
            && (self.product.is_empty() || self.product.contains(&identity.product))
            && self.name.as_deref().is_none_or(|pattern| like(pattern, identity.system_name()))
            && self.interface.is_none_or(|number| identity.interface == Some(number))
            && self.descriptor.is_none_or(|hash| hash == identity.descriptor_hash)
    }

    /// How much it says: of two sheets that fit, the one that says more wins.
    #[must_use]
    pub fn weight(&self) -> u32 {
        u32::from(self.bus.is_some())
            + 2 * u32::from(self.vendor.is_some())
            + 2 * u32::from(!self.product.is_empty())
            + u32::from(self.name.is_some())
            + u32::from(self.interface.is_some())
            + 8 * u32::from(self.descriptor.is_some())
    }
}

/// Whether a text matches a pattern in which `*` stands for anything.
fn like(pattern: &str, text: &str) -> bool {
    let mut pieces = pattern.split('*');
    let first = pieces.next().unwrap_or_default();
    let Some(mut rest) = text.strip_prefix(first) else { return false };
    let mut last = None;
    for piece in pieces {
        if let Some(before) = last.replace(piece) {
            let Some(at) = rest.find(before) else { return false };
            rest = &rest[at + before.len()..];
        }
    }
    match last {
        None => rest.is_empty(),
        Some(end) => rest.ends_with(end),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pattern_matches_like_plain_text() {
        for (pattern, text, so) in [
            ("Cellar pad", "Cellar pad", true),
            ("Cellar pad", "Cellar pad 2", false),
            ("Cellar*", "Cellar pad", true),
            ("*pad", "Cellar pad", true),
            ("*l*r*", "Cellar pad", true),
            ("*x*", "Cellar pad", false),
            ("a*a", "a", false),
            ("*", "", true),
            ("", "x", false),
        ] {
            assert_eq!(like(pattern, text), so, "{pattern} {text}");
        }
    }
}
