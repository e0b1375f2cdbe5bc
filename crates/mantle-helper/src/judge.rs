//! What the helper allows: judged by what it reads itself, never by what it is told.

use mantle_hid::Descriptor;

/// What is known about a requested interface.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Asked {
    /// The usages of its top-level application collections: page and number.
    pub applications: Vec<(u16, u16)>,
    /// Whether the administrator has named its vendor and product.
    pub named: bool,
    /// What it is part of: interfaces of one plug have this in common.
    pub plug: String,
    /// The seat that it belongs to.
    pub seat: String,
}

/// Who asks.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Peer {
    /// Root may do by itself whatever is requested here.
    Root,
    /// The account that is now sitting at these seats.
    Sits(Vec<String>),
    /// An account of the permitted group, if there are no seats.
    InGroup,
    /// Anybody else.
    Stranger,
}

/// Why something is not done.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Verdict {
    /// It may be done.
    Allowed,
    /// Whoever asks does not sit at this device's seat.
    NotYours,
    /// It is no controller, and not named.
    NoController,
    /// It holds keys to accounts, and is never touched.
    SecurityKey,
    /// It does not belong to a controller in the same request.
    NoPart,
}

/// The usage page of devices that hold keys to accounts.
const SECURITY_KEYS: u16 = 0xf1d0;

impl Asked {
    /// The applications of a report descriptor; none if it cannot be read.
    #[must_use]
    pub fn applications(descriptor: &[u8]) -> Vec<(u16, u16)> {
        let Ok(descriptor) = Descriptor::parse(descriptor) else { return Vec::new() };
        let outer = descriptor.collections().iter().filter(|one| one.parent.is_none() && one.is_application());
        outer.map(|one| (one.usage.page(), one.usage.id())).collect()
    }

    fn is_security_key(&self) -> bool {
        self.applications.iter().any(|(page, _)| *page == SECURITY_KEYS)
    }

    /// A joystick, a gamepad or a multi-axis controller; or a named device, unless it consists only of keyboards and mice.
    fn is_controller(&self) -> bool {
        let plays = |one: &(u16, u16)| matches!(one, (1, 4 | 5 | 8));
        let steers = |one: &(u16, u16)| matches!(one, (1, 1 | 2 | 6 | 7));
        let only_steers = !self.applications.is_empty() && self.applications.iter().all(steers);
        self.applications.iter().any(plays) || (self.named && !only_steers)
    }
}

impl Peer {
    fn may(&self, asked: &Asked) -> bool {
        match self {
            Self::Root => true,
            Self::Sits(seats) => seats.contains(&asked.seat),
            Self::InGroup => asked.seat == "seat0",
            Self::Stranger => false,
        }
    }
}

/// Whether these may be hidden together: a controller, and whatever else is on the same plug.
#[must_use]
pub fn cover(peer: &Peer, asked: &[Asked]) -> Verdict {
    if !asked.iter().all(|one| peer.may(one)) {
        return Verdict::NotYours;
    }
    if asked.iter().any(Asked::is_security_key) {
        return Verdict::SecurityKey;
    }
    let Some(controller) = asked.iter().find(|one| one.is_controller()) else { return Verdict::NoController };
    if asked.iter().all(|one| one.plug == controller.plug) { Verdict::Allowed } else { Verdict::NoPart }
}

/// Whether a descriptor of this one's reports may be handed out.
#[must_use]
pub fn open(peer: &Peer, asked: &Asked) -> Verdict {
    cover(peer, std::slice::from_ref(asked))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn asked(applications: &[(u16, u16)], named: bool, plug: &str) -> Asked {
        Asked { applications: applications.to_vec(), named, plug: plug.into(), seat: "seat0".into() }
    }

    const PAD: &[(u16, u16)] = &[(1, 5)];
    const KEYS: &[(u16, u16)] = &[(1, 6)];

    #[test]
    fn the_seated_account_may_hide_controllers_and_their_siblings() {
        let sits = Peer::Sits(vec!["seat0".into()]);
        let judged = |all: &[Asked]| cover(&sits, all);
        assert_eq!(judged(&[asked(PAD, false, "a")]), Verdict::Allowed);
        assert_eq!(judged(&[asked(&[(1, 4)], false, "a"), asked(KEYS, false, "a")]), Verdict::Allowed);
        assert_eq!(judged(&[asked(PAD, false, "a"), asked(KEYS, false, "b")]), Verdict::NoPart);
        assert_eq!(judged(&[asked(KEYS, true, "a")]), Verdict::NoController, "not even where it is named");
        assert_eq!(judged(&[asked(&[(0xff00, 1)], false, "a")]), Verdict::NoController);
        assert_eq!(judged(&[asked(&[(0xff00, 1)], true, "a")]), Verdict::Allowed);
        assert_eq!(judged(&[asked(&[(0xf1d0, 1)], true, "a")]), Verdict::SecurityKey);
        assert_eq!(judged(&[asked(PAD, true, "a"), asked(&[(0xf1d0, 1)], true, "a")]), Verdict::SecurityKey);
        assert_eq!(judged(&[]), Verdict::NoController);
        let elsewhere = Asked { seat: "seat1".into(), ..asked(PAD, true, "a") };
        assert_eq!(judged(std::slice::from_ref(&elsewhere)), Verdict::NotYours);
        assert_eq!(cover(&Peer::Stranger, &[asked(PAD, true, "a")]), Verdict::NotYours);
        assert_eq!(cover(&Peer::InGroup, &[elsewhere]), Verdict::NotYours);
        assert_eq!(cover(&Peer::Root, &[asked(KEYS, true, "a")]), Verdict::NoController);
        assert_eq!(open(&sits, &asked(KEYS, false, "a")), Verdict::NoController);
    }

    #[test]
    fn the_top_level_collection_classifies_a_device() {
        let pad = [0x05, 1, 0x09, 5, 0xa1, 1, 0x09, 6, 0xa1, 1, 0xc0, 0xc0];
        assert_eq!(Asked::applications(&pad), [(1, 5)]);
        assert!(Asked::applications(&[0xa1]).is_empty());
    }

    proptest! {
        /// Whatever is requested together: what is allowed has a controller, one plug, no security key, and belongs to the peer.
        #[test]
        fn a_single_forbidding_rule_refuses_the_request(
            all in prop::collection::vec((prop::collection::vec((prop::sample::select(vec![1u16, 0xf1d0, 0xff00]), 0..10u16), 0..3), any::<bool>(), "[ab]", "seat[01]"), 0..4),
            sits in prop::collection::vec("seat[01]", 0..2),
        ) {
            let all: Vec<Asked> = all.into_iter().map(|(applications, named, plug, seat)| Asked { applications, named, plug, seat }).collect();
            let verdict = cover(&Peer::Sits(sits.clone()), &all);
            let flat: Vec<(u16, u16)> = all.iter().flat_map(|one| one.applications.clone()).collect();
            let plays = flat.iter().any(|one| [(1, 4), (1, 5), (1, 8)].contains(one));
            let named = all.iter().any(|one| one.named && (one.applications.is_empty() || one.applications.iter().any(|one| ![(1, 1), (1, 2), (1, 6), (1, 7)].contains(one))));
            let one_plug = all.windows(2).all(|two| two[0].plug == two[1].plug);
            let own = all.iter().all(|one| sits.contains(&one.seat));
            let keys = flat.iter().any(|one| one.0 == 0xf1d0);
            prop_assert_eq!(verdict == Verdict::Allowed, own && !keys && one_plug && (plays || named), "{:?}", verdict);
        }
    }
}
