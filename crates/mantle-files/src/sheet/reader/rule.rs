//! The rule for which devices a sheet is.

use super::{At, MATCH, Reader};
use mantle_core::sheet::MatchRule;

impl Reader<'_> {
    pub(super) fn rule(&mut self, at: &At<'_>) -> Option<MatchRule> {
        let Some(item) = at.table.get("match") else {
            self.fault(Some(0..0), "there is no [match] to say which devices the sheet is for".into());
            return None;
        };
        let Some(table) = item.as_table_like() else {
            return self.refuse(at, "match", item, "it is written [match], with keys below it");
        };
        let at = At { name: "match.".into(), table, span: item.span() };
        let before = self.faults.len();
        self.known(&at, MATCH);
        let mut rule = MatchRule::default();
        if let Some(item) = table.get("bus") {
            rule.bus = match (item.as_str(), item.as_integer()) {
                (Some("usb"), _) => Some(3),
                (Some("bluetooth"), _) => Some(5),
                (_, Some(number @ 0..=0xffff)) => Some(number as u16),
                _ => self.refuse(&at, "bus", item, "\"usb\", \"bluetooth\" or the number of a bus is expected"),
            };
        }
        rule.vendor = self.number(&at, "vendor", 0..0x1_0000).map(|number| number as u16);
        rule.product = match table.get("product") {
            Some(item) if item.is_array() => {
                let all = item.as_array().into_iter().flatten();
                let ids: Option<Vec<u16>> =
                    all.map(|id| id.as_integer().and_then(|number| u16::try_from(number).ok())).collect();
                match ids.filter(|ids| !ids.is_empty()) {
                    Some(ids) => ids,
                    None => self.refuse(&at, "product", item, "a list of whole numbers from 0 to 65535 is expected")?,
                }
            }
            Some(_) => self.number(&at, "product", 0..0x1_0000).map(|number| vec![number as u16]).unwrap_or_default(),
            None => Vec::new(),
        };
        rule.name = self.text(&at, "name").map(str::to_owned);
        rule.interface = self.number(&at, "interface", 0..256).map(|number| number as u8);
        if let Some(item) = table.get("descriptor") {
            let hash =
                item.as_str().filter(|text| text.len() == 16).and_then(|text| u64::from_str_radix(text, 16).ok());
            rule.descriptor = match hash {
                Some(hash) => Some(hash),
                None => {
                    self.refuse(&at, "descriptor", item, "16 hex digits are expected, as `devices --json` shows them")
                }
            };
        }
        if self.faults.len() > before {
            // A rule that is only half read might fit the wrong devices.
            return None;
        }
        if rule == MatchRule::default() {
            return self.missing(&at, "vendor", "an empty rule would fit every device");
        }
        Some(rule)
    }
}
