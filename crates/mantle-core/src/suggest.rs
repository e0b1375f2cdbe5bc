//! One suggestion for a word that is not known.

/// The known word that is nearest to one, if it is near enough to be meant.
#[must_use]
pub fn nearest<'a>(word: &str, known: &[&'a str]) -> Option<&'a str> {
    let lower = word.to_lowercase();
    let best = known.iter().map(|other| (distance(&lower, &other.to_lowercase()), *other)).min()?;
    (best.0 <= (word.chars().count() / 3).max(1)).then_some(best.1)
}

/// How many letters have to be changed, put in, left out, or swapped with their neighbour.
fn distance(a: &str, b: &str) -> usize {
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().take(64).collect(), b.chars().take(64).collect());
    let mut rows = vec![vec![0usize; b.len() + 1]; a.len() + 1];
    for (i, row) in rows.iter_mut().enumerate() {
        row[0] = i;
    }
    for (j, cell) in rows[0].iter_mut().enumerate() {
        *cell = j;
    }
    for i in 1..=a.len() {
        for j in 1..=b.len() {
            let change = rows[i - 1][j - 1] + usize::from(a[i - 1] != b[j - 1]);
            let mut best = change.min(rows[i - 1][j] + 1).min(rows[i][j - 1] + 1);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                best = best.min(rows[i - 2][j - 2] + 1);
            }
            rows[i][j] = best;
        }
    }
    rows[a.len()][b.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_typo_gets_a_suggestion_and_another_word_does_not() {
        let known = ["name", "kind", "size", "signed", "packing"];
        assert_eq!(nearest("siez", &known), Some("size"));
        assert_eq!(nearest("Name", &known), Some("name"));
        assert_eq!(nearest("pakcing", &known), Some("packing"));
        assert_eq!(nearest("colour", &known), None);
        assert_eq!(nearest("", &["x"]), Some("x"));
    }
}
