//! The usages before a main item, kept as ranges: a field of 12,288 usages costs no more than a field of one.

use crate::error::Problem;
use crate::limits;
use crate::usage::Usage;

/// A run of usages. A short one (its item had at most two bytes) takes its page from a Usage Page item.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
struct Run {
    page: u16,
    first: u32,
    len: u32,
    short: bool,
}

impl Run {
    fn get(&self, index: u32) -> Usage {
        let number = self.first.wrapping_add(index);
        if self.short { Usage::new(self.page, number as u16) } else { Usage(number) }
    }
}

/// An ordered list of usages, at most [`limits::FIELD_ELEMENTS`] of them.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct UsageList {
    runs: Vec<Run>,
    len: u32,
}

impl UsageList {
    /// How many usages were declared.
    #[must_use]
    pub fn len(&self) -> u32 {
        self.len
    }

    /// Whether none was.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// The usage with this index; none beyond the list.
    #[must_use]
    pub fn get(&self, mut index: u32) -> Option<Usage> {
        for run in &self.runs {
            if index < run.len {
                return Some(run.get(index));
            }
            index -= run.len;
        }
        None
    }

    /// The usage of a variable field's element: the last one repeats for the remaining elements.
    #[must_use]
    pub fn element(&self, index: u32) -> Option<Usage> {
        self.get(index.min(self.len.checked_sub(1)?))
    }

    /// All usages in order.
    pub fn iter(&self) -> impl Iterator<Item = Usage> + '_ {
        self.runs.iter().flat_map(|run| (0..run.len).map(move |index| run.get(index)))
    }

    /// The usages of `count` elements in order, the last one repeated as needed; fewer only if there are none at all.
    pub fn elements(&self, count: u32) -> impl Iterator<Item = Usage> + '_ {
        let last = self.len.checked_sub(1).and_then(|last| self.get(last));
        self.iter().chain(last.into_iter().cycle()).take(count as usize)
    }

    pub(crate) fn push(&mut self, data: u32, size: u8, page: u32) -> Result<(), Problem> {
        if self.len >= limits::FIELD_ELEMENTS {
            return Err(Problem::TooManyUsages);
        }
        self.runs.push(Run { page: page as u16, first: data, len: 1, short: size <= 2 });
        self.len += 1;
        Ok(())
    }

    /// Adds minimum to maximum. As in the kernel, a range that would exceed the limit (also a reversed one, whose length wraps) is cut to what fits.
    pub(crate) fn push_range(&mut self, minimum: u32, maximum: u32, size: u8, page: u32) -> Result<(), Problem> {
        let mut last = maximum;
        if maximum.wrapping_sub(minimum).wrapping_add(self.len) >= limits::FIELD_ELEMENTS {
            last = (limits::FIELD_ELEMENTS - self.len).wrapping_add(minimum).wrapping_sub(1);
            if last == 0 {
                return Err(Problem::TooManyUsages);
            }
        }
        if last < minimum {
            return Ok(());
        }
        let len = (last - minimum).saturating_add(1);
        if u64::from(self.len) + u64::from(len) > u64::from(limits::FIELD_ELEMENTS) {
            return Err(Problem::TooManyUsages);
        }
        self.runs.push(Run { page: page as u16, first: minimum, len, short: size <= 2 });
        self.len += len;
        Ok(())
    }

    /// A page after the last usage before a main item applies to the usages that do not have one yet, from the last one backwards until one that has.
    pub(crate) fn apply_last_page(&mut self, page: u32) {
        for run in self.runs.iter_mut().rev().filter(|run| run.short) {
            if u32::from(run.page) == page {
                break;
            }
            run.page = page as u16;
        }
    }
}
