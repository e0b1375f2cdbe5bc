//! Repeated presses while something is held, and short rows of presses, for hands that cannot hammer.

use super::Options;
use crate::time::Micros;

/// The range of presses per second.
pub const TIMES: std::ops::RangeInclusive<f64> = 0.5..=30.0;
/// The most spans of a row: pressed, released, pressed, and so on.
pub const SPANS: usize = 31;
/// The longest span, and the longest row, in seconds.
pub const SPAN: std::ops::RangeInclusive<f64> = 0.01..=2.0;
/// See [`SPAN`].
pub const WHOLE: f64 = 10.0;
/// The spans of a row that is chosen by its number of presses: how long each press lasts, and the gap between presses.
pub const USUAL: [Micros; 2] = [Micros::millis(50), Micros::millis(80)];

/// A row of this many presses of the default lengths.
#[must_use]
pub fn usual_row(presses: u8) -> Vec<Micros> {
    let spans = usize::from(presses).saturating_mul(2).saturating_sub(1).min(SPANS);
    USUAL.into_iter().cycle().take(spans).collect()
}

/// What a held control does.
#[derive(Clone, PartialEq, Debug, Default)]
pub(super) enum Beat {
    /// It stays pressed.
    #[default]
    None,
    /// It is pressed for half of this period, again and again.
    Again(Micros),
    /// It is pressed and released in turn for these times, once.
    Row(Vec<Micros>),
}

impl Beat {
    pub fn new(options: &Options) -> Self {
        match options.again {
            Some(times) if times > 0.0 => Self::Again(Micros((1e6 / f64::from(times)).round().max(2.0) as u64)),
            _ if options.row.is_empty() => Self::None,
            _ => Self::Row(options.row.clone()),
        }
    }

    pub fn is_there(&self) -> bool {
        *self != Self::None
    }

    /// Whether it is pressed this long after it began, and how much later that changes.
    pub fn at(&self, passed: Micros) -> (bool, Option<Micros>) {
        match self {
            Self::None => (true, None),
            Self::Again(period) => {
                let (period, half) = (period.0, period.0 / 2);
                let (begun, within) = (passed.0 - passed.0 % period, passed.0 % period);
                let pressed = within < half;
                (pressed, Some(Micros(begun + if pressed { half } else { period })))
            }
            Self::Row(spans) => {
                let (mut end, mut pressed) = (0, true);
                for span in spans {
                    end += span.0;
                    if passed.0 < end {
                        return (pressed, Some(Micros(end)));
                    }
                    pressed = !pressed;
                }
                (false, None)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_repeated_press_is_down_half_the_time() {
        let eight = Beat::new(&Options { again: Some(8.0), ..Options::default() });
        assert_eq!(eight.at(Micros(0)), (true, Some(Micros(62_500))));
        assert_eq!(eight.at(Micros(62_500)), (false, Some(Micros(125_000))));
        assert_eq!(eight.at(Micros(125_000)), (true, Some(Micros(187_500))));
    }

    #[test]
    fn a_sequence_is_played_once() {
        let row = Beat::new(&Options { row: usual_row(2), ..Options::default() });
        let at = |millis: u64| row.at(Micros::millis(millis));
        assert_eq!(at(0), (true, Some(Micros::millis(50))));
        assert_eq!(at(50), (false, Some(Micros::millis(130))));
        assert_eq!(at(130), (true, Some(Micros::millis(180))));
        assert_eq!(at(180), (false, None));
        assert_eq!(usual_row(200).len(), SPANS);
        assert_eq!((usual_row(0).len(), usual_row(1)), (0, vec![USUAL[0]]));
    }

    proptest! {
        /// Going from one returned moment to the next shows every change, and always moves forward.
        #[test]
        fn every_change_is_announced_in_advance(times in 0.5f32..30.0, row in prop::collection::vec(10_000u64..2_000_000, 0..9), at in 0u64..5_000_000) {
            let mut row: Vec<Micros> = row.into_iter().map(Micros).collect();
            // A row ends with a press.
            row.truncate(row.len().saturating_sub(1) / 2 * 2 + 1);
            for beat in [Beat::new(&Options { again: Some(times), ..Options::default() }), Beat::new(&Options { row, ..Options::default() })] {
                let (now, next) = beat.at(Micros(at));
                let until = next.map_or(at + 3_000_000, |next| next.0);
                prop_assert!(until > at);
                prop_assert_eq!(beat.at(Micros(until - 1)).0, now);
                prop_assert_eq!(beat.at(Micros((at + until) / 2)).0, now);
                if let Some(next) = next {
                    prop_assert!(beat.at(next).0 != now);
                }
            }
        }
    }
}
