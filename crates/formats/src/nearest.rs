//! "Did you mean": the known word nearest to a mistyped one.

/// The most similar of `known`, if any is similar enough to be meant; of several that are as
/// similar the first by name, for what is known may come in any order.
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
        .max_by(|one, other| one.0.total_cmp(&other.0).then(other.1.cmp(one.1)))
        .map(|(_, candidate)| candidate)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_equals_the_first_by_name_is_meant() {
        let known = ["stick-l-x", "stick-r-x", "stick-l-y"];
        let word = "stick-x";
        let in_any_order = [[0, 1, 2], [2, 1, 0], [1, 2, 0]];
        for order in in_any_order {
            assert_eq!(nearest(word, order.map(|at| known[at])), nearest(word, known));
        }
        assert_eq!(nearest("stickq", ["stickb", "sticka"]), Some("sticka"));
    }
}
