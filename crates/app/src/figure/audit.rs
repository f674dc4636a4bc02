//! What loops of other rates would have seen.

use super::page::{FAINT, INK, LEFT, LOST, Page, RIGHT, RULE, SIGNAL, round_step};
use gtrig_analysis::audit::LoopAudit;
use gtrig_core::Nanos;

const TOP: f64 = 80.0;
const ROW: f64 = 34.0;

/// Draws the presses lost and the latency of the rest at each rate, as SVG.
pub fn audit(title: &str, audits: &[LoopAudit]) -> String {
    let bottom = TOP + ROW * audits.len() as f64;
    let mut page = Page::new(bottom + 60.0);
    page.title(title);
    page.text(20.0, TOP - 16.0, "poll rate", FAINT);
    page.text_ending(LEFT - 14.0, TOP - 16.0, "lost", FAINT);
    page.text(LEFT, TOP - 16.0, "latency from event to poll: shortest to longest, median", FAINT);
    let longest = audits.iter().filter_map(|audit| audit.total.latency(1.0)).max();
    let scale = longest.unwrap_or(Nanos(0)).as_millis().max(0.001);
    let x = |time: Nanos| LEFT + time.as_millis() / scale * (RIGHT - LEFT);
    axis(&mut page, scale, bottom);
    for (audit, row) in audits.iter().zip(0..) {
        let y = TOP + ROW * f64::from(row) + ROW / 2.0;
        page.text(20.0, y + 4.0, &audit.of.rate.to_string(), INK);
        let total = &audit.total;
        let lost = format!("{} of {}", total.lost, total.sent);
        page.text_ending(LEFT - 14.0, y + 4.0, &lost, if total.lost > 0 { LOST } else { INK });
        let at = |share| total.latency(share);
        if total.sent == 0 {
            page.text(LEFT, y + 4.0, "not measured: nothing was pressed", FAINT);
        } else if at(0.0).is_none() {
            page.text(LEFT, y + 4.0, "not measured: every press was lost", LOST);
        }
        if let (Some(min), Some(median), Some(max)) = (at(0.0), at(0.5), at(1.0)) {
            page.line((x(min), y), (x(max), y), SIGNAL, 2.0);
            for end in [min, max] {
                page.line((x(end), y - 6.0), (x(end), y + 6.0), SIGNAL, 2.0);
            }
            page.line((x(median), y - 9.0), (x(median), y + 9.0), INK, 3.0);
        }
    }
    page.finish()
}

fn axis(page: &mut Page, scale_ms: f64, bottom: f64) {
    let step = round_step(scale_ms / 8.0);
    let mut ms = 0.0;
    while ms <= scale_ms {
        let x = LEFT + ms / scale_ms * (RIGHT - LEFT);
        page.line((x, TOP), (x, bottom), RULE, 1.0);
        let digits = usize::from(step < 1.0) * 2;
        page.text_centred(x, bottom + 16.0, &format!("{ms:.digits$}"), FAINT);
        ms += step;
    }
    page.text(LEFT, bottom + 36.0, "latency, ms", INK);
}
