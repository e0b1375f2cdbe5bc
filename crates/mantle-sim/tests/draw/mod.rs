//! Random numbers, the same for the same seed.

/// A source of numbers (splitmix64).
pub struct Draw(u64);

impl Draw {
    pub fn new(seed: u64) -> Self {
        Self(seed)
    }

    pub fn word(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number from 0 up to, but not, 1.
    pub fn share(&mut self) -> f64 {
        (self.word() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// A number between two.
    pub fn between(&mut self, [from, to]: [f64; 2]) -> f64 {
        from + (to - from) * self.share()
    }

    /// A whole number between two, both included.
    pub fn whole(&mut self, [from, to]: [u64; 2]) -> u64 {
        from + self.word() % (to - from + 1)
    }

    pub fn chance(&mut self, share: f64) -> bool {
        self.share() < share
    }

    pub fn one_of<T: Clone>(&mut self, list: &[T]) -> T {
        list[self.word() as usize % list.len()].clone()
    }

    pub fn shuffle<T>(&mut self, list: &mut [T]) {
        for index in (1..list.len()).rev() {
            list.swap(index, self.word() as usize % (index + 1));
        }
    }
}
