//! "Did you mean": the known word nearest to a mistyped one.

/// The most similar of `known`, if any is similar enough to be meant.
pub(crate) fn nearest<'k>(word: &str, known: impl IntoIterator<Item = &'k str>) -> Option<&'k str> {
    // A word longer than any name is no slip of the finger, and comparing it
    // would cost.
    if word.len() > 64 {
        return None;
    }
    let likeness = |candidate: &str| match candidate.eq_ignore_ascii_case(word) {
        true => 1.0,
        false => strsim::jaro_winkler(word, candidate),
    };
    known
        .into_iter()
        .map(|candidate| (likeness(candidate), candidate))
        .filter(|(likeness, _)| *likeness > 0.8)
        .reduce(|best, next| if next.0 > best.0 { next } else { best })
        .map(|(_, candidate)| candidate)
}
