//! Requests and answers: messages of one length each, numbers only. No path, no rule and no text is transmitted, in either direction.

use crate::hider::{Operation, Refused};

/// How long a request is.
pub const REQUEST: usize = 68;
/// How long an answer is.
pub const ANSWER: usize = 8;
/// How many interfaces may be requested at once.
pub const MOST: usize = 16;

/// The request. Devices are given by the kernel's number of a HID device.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Request {
    /// Hide these together.
    Cover(Vec<u32>),
    /// Give back what was hidden together with this one.
    Uncover(u32),
    /// How many covers the connection has.
    Status,
    /// A descriptor of the node of this one's reports.
    Open(u32),
    /// A descriptor of this one's event node with this number: rumble goes there if the kernel's driver serves it.
    OpenEvent(u32, u32),
}

/// A message that makes no sense.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Nonsense;

impl Request {
    /// The bytes that travel.
    #[must_use]
    pub fn bytes(&self) -> [u8; REQUEST] {
        let two;
        let (verb, numbers): (u8, &[u32]) = match self {
            Self::Cover(numbers) => (1, numbers),
            Self::Uncover(number) => (2, std::slice::from_ref(number)),
            Self::Status => (3, &[]),
            Self::Open(number) => (4, std::slice::from_ref(number)),
            Self::OpenEvent(number, event) => {
                two = [*number, *event];
                (5, &two)
            }
        };
        let mut out = [0; REQUEST];
        out[0] = verb;
        out[1] = numbers.len().min(MOST) as u8;
        for (place, number) in out[4..].chunks_exact_mut(4).zip(numbers) {
            place.copy_from_slice(&number.to_le_bytes());
        }
        out
    }

    /// What was asked for.
    ///
    /// # Errors
    /// When the bytes are no request.
    pub fn read(bytes: &[u8; REQUEST]) -> Result<Self, Nonsense> {
        let count = usize::from(bytes[1]);
        if count > MOST || bytes[2..4] != [0, 0] || bytes[4 + 4 * count..].iter().any(|byte| *byte != 0) {
            return Err(Nonsense);
        }
        let words = bytes[4..4 + 4 * count].chunks_exact(4);
        let numbers: Vec<u32> = words.map(|word| u32::from_le_bytes([word[0], word[1], word[2], word[3]])).collect();
        match (bytes[0], &*numbers) {
            (1, [_, ..]) => Ok(Self::Cover(numbers)),
            (2, [number]) => Ok(Self::Uncover(*number)),
            (3, []) => Ok(Self::Status),
            (4, [number]) => Ok(Self::Open(*number)),
            (5, [number, event]) => Ok(Self::OpenEvent(*number, *event)),
            _ => Err(Nonsense),
        }
    }
}

/// What is answered.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Answer {
    /// It is done; or a number, if one was requested.
    Done(u32),
    /// It is not done, and nothing is left changed.
    Refused(Refused),
    /// It could not all be undone; it stays in the ledger.
    Left,
    /// A test has stopped it at this step.
    Stopped(u32),
}

impl Answer {
    /// The bytes that travel.
    #[must_use]
    pub fn bytes(self) -> [u8; ANSWER] {
        let (code, operation, value) = match self {
            Self::Done(count) => (0, 0, count),
            Self::Refused(refused) => {
                let operation = Operation::ALL.iter().position(|one| *one == refused.operation).unwrap_or(0);
                (1, operation as u8, refused.errno as u32)
            }
            Self::Left => (2, 0, 0),
            Self::Stopped(step) => (3, 0, step),
        };
        let [a, b, c, d] = value.to_le_bytes();
        [code, operation, 0, 0, a, b, c, d]
    }

    /// What was answered.
    ///
    /// # Errors
    /// When the bytes are no answer.
    pub fn read(bytes: [u8; ANSWER]) -> Result<Self, Nonsense> {
        let [code, operation, 0, 0, a, b, c, d] = bytes else { return Err(Nonsense) };
        let value = u32::from_le_bytes([a, b, c, d]);
        let of = Operation::ALL.get(usize::from(operation));
        match (code, of) {
            (0, Some(Operation::Finding)) => Ok(Self::Done(value)),
            (1, Some(operation)) => Ok(Self::Refused(Refused { operation: *operation, errno: value as i32 })),
            (2, Some(Operation::Finding)) if value == 0 => Ok(Self::Left),
            (3, Some(Operation::Finding)) => Ok(Self::Stopped(value)),
            _ => Err(Nonsense),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn requests_survive_the_round_trip(verb in 0..5u8, numbers in prop::collection::vec(any::<u32>(), 1..=MOST)) {
            let request = match verb {
                0 => Request::Cover(numbers),
                1 => Request::Uncover(numbers[0]),
                2 => Request::Status,
                3 => Request::OpenEvent(numbers[0], numbers.len() as u32),
                _ => Request::Open(numbers[0]),
            };
            prop_assert_eq!(Request::read(&request.bytes()), Ok(request));
        }

        #[test]
        fn any_bytes_parse_as_one_request_or_none(start in prop::array::uniform4(0..20u8), rest in prop::collection::vec(0..3u8, REQUEST - 4)) {
            let mut bytes = [0; REQUEST];
            bytes[..4].copy_from_slice(&start);
            bytes[4..].copy_from_slice(&rest);
            // Whatever is accepted as a request is that request, byte for byte: nothing has two readings.
            if let Ok(request) = Request::read(&bytes) {
                prop_assert_eq!(request.bytes(), bytes);
            }
        }

        #[test]
        fn any_bytes_parse_as_one_answer_or_none(bytes in prop::array::uniform8(0..9u8)) {
            if let Ok(answer) = Answer::read(bytes) {
                prop_assert_eq!(answer.bytes(), bytes);
            }
        }
    }

    #[test]
    fn answers_survive_the_round_trip() {
        for operation in Operation::ALL {
            let answer = Answer::Refused(Refused { operation, errno: 16 });
            assert_eq!(Answer::read(answer.bytes()), Ok(answer));
        }
        for answer in [Answer::Done(7), Answer::Left, Answer::Stopped(3)] {
            assert_eq!(Answer::read(answer.bytes()), Ok(answer));
        }
    }
}
