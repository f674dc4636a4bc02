//! What came out differently by two rigs, as a report.

use gtrig_analysis::compare::{Difference, DifferenceKind};
use gtrig_core::{Nanos, Rig};
use serde::Serialize;
use std::{collections::BTreeMap, fmt};

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
    #[serde(skip_serializing_if = "Option::is_none")]
    by: Option<f32>,
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
            by: (difference.kind == DifferenceKind::Changed).then_some(difference.by),
        };
        CompareReport { counts, differences: found.iter().map(row).collect() }
    }
}

impl fmt::Display for CompareReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.differences.is_empty() {
            return writeln!(f, "nothing comes out differently");
        }
        for Row { action, kind, from_ns, to_ns, by } in &self.differences {
            let (from, lasted) = (Nanos(*from_ns).to_string(), Nanos(to_ns - from_ns));
            write!(f, "{from:>16}  {kind:<9} {action}, for {lasted}")?;
            match by {
                Some(by) => writeln!(f, ", by up to {by:.3}")?,
                None => writeln!(f)?,
            }
        }
        let counts: Vec<String> =
            self.counts.iter().map(|(kind, count)| format!("{count} {kind}")).collect();
        writeln!(f, "{}", counts.join(", "))
    }
}
