//! Runs of bits in little-endian bytes: read and written at any position, with any width up to 32.

/// Reads `width` bits (0 to 32) from bit `offset`; bits beyond the end read as 0.
#[must_use]
pub fn extract(bytes: &[u8], offset: u32, width: u32) -> u32 {
    let first = (offset / 8) as usize;
    let window = (0..5).fold(0u64, |sum, k| sum | u64::from(bytes.get(first + k).copied().unwrap_or(0)) << (8 * k));
    let mask = (1u64 << width.min(32)) - 1;
    (window >> (offset % 8) & mask) as u32
}

/// Writes the lowest `width` bits (0 to 32) of a value at bit `offset`; bits beyond the end are dropped.
pub fn insert(bytes: &mut [u8], offset: u32, width: u32, value: u32) {
    let mask = (1u64 << width.min(32)) - 1;
    let (mask, value) = (mask << (offset % 8), (u64::from(value) & mask) << (offset % 8));
    let first = (offset / 8) as usize;
    for k in 0..5 {
        if let Some(byte) = bytes.get_mut(first + k) {
            *byte = *byte & !((mask >> (8 * k)) as u8) | (value >> (8 * k)) as u8;
        }
    }
}

/// Converts a bit's number between counting from the highest and from the lowest bit of each byte.
#[must_use]
pub const fn turned(bit: u32) -> u32 {
    bit / 8 * 8 + 7 - bit % 8
}

/// Like [`insert`], with bits counted from the highest of each byte, the number's highest bit first.
pub fn insert_turned(bytes: &mut [u8], offset: u32, width: u32, value: u32) {
    for k in 0..width {
        insert(bytes, turned(offset + k), 1, value >> (width - 1 - k));
    }
}

/// Bytes as people write them: two hex digits each, a space between.
#[must_use]
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect::<Vec<_>>().join(" ")
}

/// Bytes written this way; none if a word is no byte.
#[must_use]
pub fn from_hex(text: &str) -> Option<Vec<u8>> {
    text.split_whitespace().map(|word| u8::from_str_radix(word, 16).ok()).collect()
}

/// Reads the lowest `width` bits as a signed number.
#[must_use]
pub fn sign_extend(value: u32, width: u32) -> i32 {
    match width {
        0 => 0,
        1..=31 => (value << (32 - width)) as i32 >> (32 - width),
        _ => value as i32,
    }
}
