//! Several devices of one player share the default bindings, so that two half pads do not both play the
//! left stick.

use super::Bindings;
use crate::control::Half;
use crate::pad::{PadModel, PadTarget};

/// What the default bindings of one device need to know about the player's others.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Beside {
    /// What the devices before it play, as bits of [`PadTarget::mask`].
    pub taken: u128,
    /// Whether there are others.
    pub any: bool,
}

/// Groups of targets under one hand, and the matching groups under the other.
const HANDS: [(&[PadTarget], &[PadTarget]); 6] = {
    use PadTarget::*;
    [
        (
            &[LeftStickUp, LeftStickDown, LeftStickLeft, LeftStickRight],
            &[RightStickUp, RightStickDown, RightStickLeft, RightStickRight],
        ),
        (&[Up, Down, Left, Right], &[North, South, West, East]),
        (&[LeftShoulder], &[RightShoulder]),
        (&[LeftTrigger], &[RightTrigger]),
        (&[LeftStickPress], &[RightStickPress]),
        (&[Select], &[Start]),
    ]
};

fn mask(targets: &[PadTarget]) -> u128 {
    targets.iter().fold(0, |all, target| all | target.mask())
}

/// The default bindings of a half pad beside other devices. If its half is known, every group on the wrong hand moves
/// to its own hand. Otherwise, with a single stick, every group that others play already moves to the other hand. Groups move only if
/// the place is free. A whole pad beside another one plays everything that one does.
pub(super) fn shared_out(mut guessed: Bindings, model: &PadModel, beside: Beside, half: Option<Half>) -> Bindings {
    let (own, taken) = (guessed.bound(), beside.taken);
    let (left, right) = HANDS[0];
    let has_one = [left, right].map(|stick| own & mask(stick) == mask(stick));
    let has_any = [left, right].map(|stick| own & mask(stick) != 0);
    let is_half = has_one == has_any && has_one[0] != has_one[1];
    if !beside.any || half.is_none() && (own & taken == 0 || !is_half) {
        return guessed;
    }
    for (one, other) in HANDS {
        let ways = match half {
            Some(Half::Left) => &[(other, one)][..],
            Some(Half::Right) => &[(one, other)],
            None => &[(one, other), (other, one)],
        };
        for (from, to) in ways {
            let own = guessed.bound();
            let meets = own & mask(from) & if half.is_some() { own } else { taken } != 0;
            let free = (own | taken) & mask(to) == 0 && to.iter().all(|target| model.has(*target));
            if !meets || !free {
                continue;
            }
            for binding in &mut guessed.list {
                if let Some(at) = from.iter().position(|target| binding.target == *target) {
                    binding.target = to[at].into();
                }
            }
            break;
        }
    }
    guessed
}

#[cfg(test)]
mod tests {
    use super::super::{How, resolve};
    use super::*;
    use crate::binding::Profile;
    use crate::control::{Layout, PartLayout};
    use crate::feel::Feel;
    use mantle_hid::Descriptor;

    /// Five buttons and axes of 8 bits: X and Y, or X, Y, Z and Rz.
    fn layout(axes: u8) -> Layout {
        let last = ["30 09 31", "30 09 31 09 32 09 35"][usize::from(axes == 4)];
        let bytes = format!(
            "05 01 09 05 a1 01 05 09 19 01 29 05 15 00 25 01 75 01 95 05 81 02 95 03 81 01 05 01 09 {last} 15 00 26 ff 00 75 08 \
             95 {axes:02x} 81 02 c0"
        );
        let bytes: Vec<u8> = bytes.split_whitespace().map(|byte| u8::from_str_radix(byte, 16).expect("hex")).collect();
        Layout::new(&Descriptor::parse(&bytes).expect("a descriptor"))
    }

    fn guess(axes: u8, taken: u128) -> Bindings {
        guess_half(axes, Beside { taken, any: taken != 0 }, None)
    }

    fn guess_half(axes: u8, beside: Beside, half: Option<Half>) -> Bindings {
        let model = PadModel::common();
        let part = PartLayout { half, ..layout(axes).parts.swap_remove(0) };
        resolve(&Profile::plain("plain", Feel::default()), &part, &model, beside)
    }

    #[test]
    fn a_known_half_pad_plays_its_own_side_in_any_order_of_arrival() {
        use PadTarget::*;
        let alone = guess_half(2, Beside::default(), Some(Half::Right));
        assert_eq!(alone, guess(2, 0), "alone it is a small pad, held across");
        for (first, second) in [(Half::Left, Half::Right), (Half::Right, Half::Left)] {
            let any = true;
            let one = guess_half(2, Beside { taken: 0, any }, Some(first));
            let other = guess_half(2, Beside { taken: one.bound(), any }, Some(second));
            for (half, own) in [(first, &one), (second, &other)] {
                let hands = [[LeftStickUp, Down, LeftShoulder], [RightStickUp, South, RightShoulder]];
                let (here, there) = if half == Half::Left { (0, 1) } else { (1, 0) };
                assert!(hands[here].iter().all(|target| own.bound() & target.mask() != 0), "{half:?} of {first:?}");
                assert!(hands[there].iter().all(|target| own.bound() & target.mask() == 0), "{half:?} of {first:?}");
            }
        }
    }

    #[test]
    fn two_half_pads_make_one_pad_and_two_whole_pads_play_the_same_controls() {
        let first = guess(2, 0);
        let second = guess(2, first.bound());
        for target in [PadTarget::LeftStickUp, PadTarget::South, PadTarget::LeftShoulder] {
            assert!(
                first.bound() & target.mask() != 0 && second.bound() & target.mask() == 0,
                "{target:?} is played twice"
            );
        }
        for target in [PadTarget::RightStickUp, PadTarget::Down, PadTarget::RightShoulder] {
            assert!(second.bound() & target.mask() != 0, "{target:?} is played by nobody");
        }
        assert_eq!(first.list.len(), second.list.len(), "nothing is left out");
        let same = |one: &Bindings, other: &Bindings| {
            one.list.iter().zip(&other.list).all(|(a, b)| (a.control, a.how) == (b.control, b.how))
        };
        assert!(same(&first, &second), "each control does something still");
        assert!(second.list.iter().all(|binding| binding.how != How::Direction(0)));
        let whole = guess(4, 0);
        assert_eq!(guess(4, whole.bound()), whole);
        assert_eq!(guess(4, first.bound()), whole, "a whole pad beside half of one");
        // A third half has no hand left.
        let third = guess(2, first.bound() | second.bound());
        assert!(third.bound() & PadTarget::LeftStickUp.mask() != 0);
    }
}
