//! Faults that tests plant, to see that a test finds them: switches of the one test build. In any other build there are none.

#[cfg(test)]
std::thread_local! {
    static PLANTED: std::cell::Cell<&'static str> = const { std::cell::Cell::new("") };
}

/// Whether a test has planted this fault.
#[cfg(test)]
pub(crate) fn planted(fault: &'static str) -> bool {
    PLANTED.with(|planted| planted.get() == fault)
}

/// Whether a test has planted this fault: nobody plants any.
#[cfg(not(test))]
#[inline(always)]
pub(crate) const fn planted(_fault: &'static str) -> bool {
    false
}

/// Does something while a fault is planted.
#[cfg(test)]
pub(crate) fn with_planted<T>(fault: &'static str, act: impl FnOnce() -> T) -> T {
    struct Pulled;
    impl Drop for Pulled {
        fn drop(&mut self) {
            PLANTED.with(|planted| planted.set(""));
        }
    }
    let _pulled = Pulled;
    PLANTED.with(|planted| planted.set(fault));
    act()
}
