//! Patterns: `*` matches any characters or none, `?` matches one.

/// Whether a text matches a pattern. ASCII case is ignored.
pub(super) fn fits(pattern: &str, text: &str) -> bool {
    let (pattern, text): (Vec<char>, Vec<char>) = (pattern.chars().collect(), text.chars().collect());
    let (mut at, mut behind) = (0, 0);
    // The last star, and how much of the text it covers so far.
    let mut star = None;
    while behind < text.len() {
        match pattern.get(at) {
            Some('*') => {
                star = Some((at, behind));
                at += 1;
            }
            Some(one) if *one == '?' || one.eq_ignore_ascii_case(&text[behind]) => {
                at += 1;
                behind += 1;
            }
            _ => {
                let Some((place, from)) = star else { return false };
                star = Some((place, from + 1));
                (at, behind) = (place + 1, from + 1);
            }
        }
    }
    pattern[at..].iter().all(|one| *one == '*')
}
