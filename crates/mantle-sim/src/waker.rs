//! A device that sleeps until it has been written to: what it waits for, and its answers.

use mantle_files::Wake;
use mantle_hid::bits::from_hex;

/// How a made-up device responds to what is written to it.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Manner {
    /// It wakes, and answers.
    #[default]
    Obliging,
    /// It accepts everything and answers nothing.
    Mute,
    /// It refuses everything.
    Refusing,
}

/// How far a device is awake.
#[derive(Clone, Debug, Default)]
pub struct Waker {
    steps: Vec<(Vec<u8>, Option<Vec<u8>>)>,
    done: usize,
    /// How it responds to what is written to it.
    pub manner: Manner,
}

impl Waker {
    /// A device that is asleep; one that waits for nothing is awake.
    ///
    /// # Errors
    /// Bytes that are no hex.
    pub fn new(wake: &[Wake]) -> Result<Self, String> {
        let hex = |text: &str| from_hex(text).ok_or_else(|| format!("wake: {text:?} is not bytes in hex"));
        let step = |wake: &Wake| Ok((hex(&wake.on)?, wake.answer.as_deref().map(hex).transpose()?));
        Ok(Self { steps: wake.iter().map(step).collect::<Result<_, String>>()?, ..Self::default() })
    }

    /// Whether it sends reports.
    #[must_use]
    pub fn is_awake(&self) -> bool {
        self.done == self.steps.len()
    }

    /// It has just been plugged in.
    pub fn sleep(&mut self) {
        self.done = 0;
    }

    /// An output or feature report is written to it; returns the input report of its answer.
    pub fn handle_write(&mut self, bytes: &[u8]) -> Option<Vec<u8>> {
        if self.manner != Manner::Obliging {
            return None;
        }
        let step = self.steps.get(self.done).filter(|(on, _)| bytes.starts_with(on));
        // The first write starts everything again, since a program may have ended in the middle.
        let (at, step) = match step {
            Some(step) => (self.done, step),
            None => (0, self.steps.first().filter(|(on, _)| bytes.starts_with(on))?),
        };
        self.done = at + 1;
        step.1.clone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn waker() -> Waker {
        let step = |on: &str, answer: Option<&str>| Wake { on: on.into(), answer: answer.map(str::to_owned) };
        Waker::new(&[step("02 01", Some("03 01")), step("04", None)]).expect("hex")
    }

    #[test]
    fn the_device_wakes_only_in_order() {
        let mut waker = waker();
        assert_eq!(waker.handle_write(&[4, 1]), None);
        assert_eq!(waker.handle_write(&[2, 1, 0]), Some(vec![3, 1]));
        assert!(!waker.is_awake());
        assert_eq!(waker.handle_write(&[4, 9]), None);
        assert!(waker.is_awake());
        waker.sleep();
        assert!(!waker.is_awake());
    }

    #[test]
    fn a_mute_device_stays_asleep() {
        let mut waker = waker();
        waker.manner = Manner::Mute;
        assert_eq!(waker.handle_write(&[2, 1]), None);
        assert!(!waker.is_awake());
    }
}
