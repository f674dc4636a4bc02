//! Typed access to a TOML document that notes mistakes instead of stopping.

use super::problem::Problems;
use crate::nearest::nearest;
use gtrig_core::{ControlInfo, Keyword, tunable::Tunable};
use petgraph::{
    algo::kosaraju_scc,
    graph::{DiGraph, NodeIndex},
};
use std::ops::Range;
use toml::{
    Spanned,
    de::{DeTable, DeValue},
};

/// A value and its place.
#[derive(Clone, Copy)]
pub(crate) struct Value<'a>(&'a Spanned<DeValue<'a>>);

impl<'a> Value<'a> {
    pub(crate) fn span(&self) -> Range<usize> {
        self.0.span()
    }

    fn get(&self) -> &'a DeValue<'a> {
        self.0.get_ref()
    }

    fn mistake<T>(&self, problems: &mut Problems, expected: &str) -> Option<T> {
        problems.add(self.span(), problems.quote(self.span()), expected);
        None
    }

    pub(crate) fn is_string(&self) -> bool {
        self.get().is_str()
    }

    pub(crate) fn is_table(&self) -> bool {
        self.get().is_table()
    }

    pub(crate) fn string(&self, problems: &mut Problems) -> Option<&'a str> {
        self.get().as_str().or_else(|| self.mistake(problems, "a text in quotes"))
    }

    pub(crate) fn bool(&self, problems: &mut Problems) -> Option<bool> {
        self.get().as_bool().or_else(|| self.mistake(problems, "true or false"))
    }

    pub(crate) fn integer(&self) -> Option<i64> {
        let integer = self.get().as_integer()?;
        i64::from_str_radix(integer.as_str(), integer.radix()).ok()
    }

    pub(crate) fn number(&self) -> Option<f64> {
        match self.get().as_float() {
            Some(float) => float.as_str().parse().ok(),
            None => self.integer().map(|n| n as f64),
        }
    }

    /// A number within the range of its tunable.
    pub(crate) fn tunable(&self, problems: &mut Problems, tunable: &Tunable) -> Option<f64> {
        let Tunable { min, max, unit, .. } = tunable;
        let allowed = self.number().filter(|&n| tunable.allows(n));
        allowed
            .or_else(|| self.mistake(problems, &format!("a number from {min} to {max} ({unit})")))
    }

    /// So many numbers, each of which is allowed.
    pub(crate) fn numbers<const N: usize>(
        self,
        problems: &mut Problems,
        expected: &str,
        is_allowed: impl Fn(f64) -> bool,
    ) -> Option<[f32; N]> {
        let items: Vec<Value> = self.items(problems).collect();
        let number = |item: &Value| item.number().filter(|n| is_allowed(*n)).map(|n| n as f32);
        let numbers: Option<Vec<f32>> = items.iter().map(number).collect();
        let numbers = numbers.and_then(|numbers| <[f32; N]>::try_from(numbers).ok());
        numbers.or_else(|| self.mistake(problems, expected))
    }

    /// One of the words of an enumeration.
    pub(crate) fn word<T: Keyword>(&self, problems: &mut Problems) -> Option<T> {
        let words: Vec<_> = T::ALL.iter().map(|&member| (member.word(), member)).collect();
        self.one_of(problems, &words)
    }

    /// One of a few words.
    pub(crate) fn one_of<T: Copy>(
        &self,
        problems: &mut Problems,
        words: &[(&'static str, T)],
    ) -> Option<T> {
        let text = self.string(problems)?;
        if let Some((_, value)) = words.iter().find(|(word, _)| *word == text) {
            return Some(*value);
        }
        let all: Vec<&str> = words.iter().map(|(word, _)| *word).collect();
        let expected = format!("one of \"{}\"", all.join("\", \""));
        problems.add_unknown(self.span(), text, all, &expected);
        None
    }

    pub(crate) fn table(&self, problems: &mut Problems) -> Option<Fields<'a>> {
        match self.get().as_table() {
            Some(table) => Some(Fields::root(table, self.span())),
            None => self.mistake(problems, "a table"),
        }
    }

    /// Whether it is an array without items.
    pub(crate) fn is_empty(&self) -> bool {
        self.get().as_array().is_some_and(|array| array.is_empty())
    }

    /// The items of an array; a single value counts as an array of one.
    pub(crate) fn items(
        self,
        problems: &mut Problems,
    ) -> impl Iterator<Item = Value<'a>> + use<'a> {
        let array = self.get().as_array();
        if array.is_some_and(|a| a.is_empty()) {
            self.mistake::<()>(problems, "at least one entry");
        }
        let single = array.is_none().then_some(self);
        array.into_iter().flat_map(|a| a.iter().map(Value)).chain(single)
    }
}

/// An entry of a table, with the place of its key.
pub(crate) struct Entry<'a> {
    pub(crate) key: &'a str,
    pub(crate) key_span: Range<usize>,
    pub(crate) value: Value<'a>,
}

/// A table whose keys are taken one by one; what is left at the end is
/// unknown.
pub(crate) struct Fields<'a> {
    table: &'a DeTable<'a>,
    span: Range<usize>,
    taken: Vec<&'static str>,
}

impl<'a> Fields<'a> {
    pub(crate) fn root(table: &'a DeTable<'a>, span: Range<usize>) -> Self {
        Fields { table, span, taken: Vec::new() }
    }

    pub(crate) fn span(&self) -> Range<usize> {
        self.span.clone()
    }

    pub(crate) fn take(&mut self, key: &'static str) -> Option<Value<'a>> {
        self.taken.push(key);
        self.entries().find(|entry| entry.key == key).map(|entry| entry.value)
    }

    pub(crate) fn entries(&self) -> impl Iterator<Item = Entry<'a>> + use<'a> {
        self.table.iter().map(|(key, value)| Entry {
            key: key.get_ref(),
            key_span: key.span(),
            value: Value(value),
        })
    }

    /// Notes the keys that nothing took.
    pub(crate) fn finish(self, problems: &mut Problems) {
        for entry in self.entries().filter(|e| !self.taken.contains(&e.key)) {
            let hint = nearest(entry.key, self.taken.iter().copied()).map(str::to_owned);
            let found = format!("the key `{}`", entry.key.escape_debug());
            let expected = format!("only the keys {}", self.taken.join(", "));
            problems.push(entry.key_span, found, &expected, hint);
        }
    }
}

/// Notes a text that cannot be a name.
pub(crate) fn check_name(problems: &mut Problems, entry: &Entry, what: &str) {
    if !ControlInfo::is_code(entry.key) {
        let found = format!("the name `{}`", entry.key.escape_debug());
        let expected =
            format!("{what} name of 1 to 40 letters, digits, dots, dashes or underscores");
        problems.add(entry.key_span.clone(), found, &expected);
    }
}

/// Entries that wait for each other in a circle would wait for ever; `waits` gives
/// those that one waits for.
pub(crate) fn check_waits<'a, I: Iterator<Item = usize>>(
    problems: &mut Problems,
    entries: impl IntoIterator<Item = Entry<'a>>,
    waits: impl Fn(usize) -> I,
    what: &str,
) {
    let entries: Vec<Entry> = entries.into_iter().collect();
    let mut graph = DiGraph::<(), ()>::with_capacity(entries.len(), entries.len());
    let nodes: Vec<NodeIndex> = entries.iter().map(|_| graph.add_node(())).collect();
    for (n, node) in nodes.iter().enumerate() {
        waits(n).for_each(|other| {
            graph.add_edge(*node, nodes[other], ());
        });
    }
    let mut in_circle = vec![false; entries.len()];
    for circle in kosaraju_scc(&graph) {
        let is_circle = circle.len() > 1 || graph.contains_edge(circle[0], circle[0]);
        circle.iter().for_each(|node| in_circle[node.index()] = is_circle);
    }
    for (entry, _) in entries.iter().zip(in_circle).filter(|(_, is_in_one)| *is_in_one) {
        let found = format!("`{}`, which waits for itself in the end", entry.key.escape_debug());
        let expected = format!("{what} that wait for others in no circle");
        problems.add(entry.key_span.clone(), found, &expected);
    }
}
