//! What came out differently by two rigs, as a report.

use crate::report::{Report, Table, cell, json_line};
use gtrig_analysis::compare::{Difference, DifferenceKind};
use gtrig_core::{Keyword, Nanos, Rig};
use serde::Serialize;
use std::{
    collections::BTreeMap,
    fmt,
    io::{self, Write},
};

/// Differences, to be printed.
#[derive(Clone, Debug, Serialize)]
pub struct CompareReport {
    counts: BTreeMap<&'static str, usize>,
    differences: Vec<Row>,
}

#[derive(Clone, Debug, Serialize)]
struct Row {
    action: String,
    kind: &'static str,
    from_ns: u64,
    to_ns: u64,
    /// By how much at most, where both were on.
    #[serde(skip_serializing_if = "Option::is_none")]
    amount: Option<f32>,
}

impl CompareReport {
    /// A report of differences between runs of actions of `rig`.
    pub fn new(rig: &Rig, found: &[Difference]) -> Self {
        let mut counts = BTreeMap::new();
        for difference in found {
            *counts.entry(difference.kind.word()).or_default() += 1;
        }
        let row = |difference: &Difference| Row {
            action: rig.actions[difference.action.index()].name.clone(),
            kind: difference.kind.word(),
            from_ns: difference.from.0,
            to_ns: difference.to.0,
            amount: (difference.kind == DifferenceKind::Changed).then_some(difference.by),
        };
        CompareReport { counts, differences: found.iter().map(row).collect() }
    }
}

impl Report for CompareReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        write!(out, "{self}")
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        json_line(self, out)
    }

    /// A row for each difference.
    fn table(&self) -> Table {
        let cells = |row: &Row| {
            let Row { action, kind, from_ns, to_ns, amount } = row;
            let (from, to) = (from_ns.to_string(), to_ns.to_string());
            vec![action.clone(), (*kind).to_owned(), from, to, cell(*amount)]
        };
        Table {
            columns: &["action", "kind", "from_ns", "to_ns", "amount"],
            rows: self.differences.iter().map(cells).collect(),
        }
    }
}

impl fmt::Display for CompareReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.differences.is_empty() {
            return writeln!(f, "nothing comes out differently");
        }
        for Row { action, kind, from_ns, to_ns, amount } in &self.differences {
            let (from, lasted) = (Nanos(*from_ns).to_string(), Nanos(to_ns - from_ns));
            write!(f, "{from:>16}  {kind:<9} {action}, for {lasted}")?;
            match amount {
                Some(amount) => writeln!(f, ", by up to {amount:.3}")?,
                None => writeln!(f)?,
            }
        }
        let counts: Vec<String> =
            self.counts.iter().map(|(kind, count)| format!("{count} {kind}")).collect();
        writeln!(f, "{}", counts.join(", "))
    }
}
