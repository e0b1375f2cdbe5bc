#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| mantle_lab::targets::case(data));
