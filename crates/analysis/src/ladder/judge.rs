//! The chains that end at one moment, and by how much each limit is kept.

use super::{
    Climb, ComboAttempt, ComboAttemptOutcome, Hit, LimitCheck, Link, NEAR_TICKS, NEAR_TIME, Track,
    find, rung,
};
use alloc::{vec, vec::Vec};
use gtrig_core::{ComboLimit, ComboStep, Moment, SignalId, StepKind, TimeSpan};
use strum::VariantArray;

impl Link {
    pub(super) fn is_kept(&self) -> bool {
        self.after >= 0 && self.within >= 0 && self.broken.is_none()
    }

    /// Whether all is kept but what may be missed.
    fn is_kept_but(&self, may_miss: Part) -> bool {
        (self.after >= 0 || may_miss == Part::After)
            && (self.within >= 0 || may_miss == Part::Within)
            && (self.broken.is_none() || may_miss == Part::Broken)
    }
}

/// What a step asks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray)]
enum Part {
    Calm,
    After,
    Within,
    Own,
    Broken,
}

impl Part {
    fn limit(self, step: usize) -> Option<ComboLimit> {
        let step = step as u8;
        match self {
            Part::Calm => (step == 0).then_some(ComboLimit::Calm),
            Part::After => Some(ComboLimit::After(step)),
            Part::Within => Some(ComboLimit::Within(step)),
            Part::Own => Some(ComboLimit::Own(step)),
            Part::Broken => None,
        }
    }
}

/// The chains that end at one hit of the last step.
pub(super) struct Judge<'a> {
    pub(super) ladder: &'a Climb,
    pub(super) track: &'a Track,
    pub(super) last: Hit,
    /// For each step but the last whether a chain leads from each of its hits
    /// to the last hit.
    leads: Vec<Vec<bool>>,
}

/// The best chain for one part of one step: by how much that is kept, and the
/// hits of the step before and of the step itself.
#[derive(Clone, Copy, Debug)]
struct Through {
    slack: i64,
    from: Option<u32>,
    to: Hit,
    broken: Option<Option<SignalId>>,
}

/// What the chains keep: each limit, the one that was nearly kept with the chain that
/// shows it, and what was broken by a press.
struct Found {
    checks: Vec<LimitCheck>,
    nearest: Option<(f64, usize, Through)>,
    broken: Option<(usize, Through)>,
}

/// What they come to.
pub(super) struct Judged {
    pub(super) attempt: ComboAttempt,
    /// The hits of the chain that is shown, by step.
    pub(super) used: Vec<u32>,
    pub(super) is_met: bool,
}

impl<'a> Judge<'a> {
    pub(super) fn new(ladder: &'a Climb, track: &'a Track, last: Hit) -> Self {
        let mut judge = Judge { ladder, track, last, leads: Vec::new() };
        judge.leads = judge.leading();
        judge
    }

    /// `None` if no chain comes near.
    pub(super) fn run(self) -> Option<Judged> {
        let count = self.track.way.steps.len();
        let all = self.all_slack();
        let spent = self.ladder.spent_for();
        let whole = self.last.best.filter(|best| best.first > spent);
        let is_met = whole.is_some() && all.is_none_or(|slack| slack >= 0);
        let Found { mut checks, nearest, broken } = self.found();
        if let (Some(asked), Some(margin)) = (self.ladder.combo.all, all) {
            checks.push(LimitCheck { limit: ComboLimit::All, asked, margin, is_alone: true });
        }
        let only_all = whole.is_some() && checks.last().is_some_and(is_near);
        let (outcome, chain) = match (nearest, broken) {
            _ if is_met || only_all => {
                let outcome =
                    if is_met { ComboAttemptOutcome::Met } else { ComboAttemptOutcome::Near };
                (outcome, self.chain(count - 1, self.last.best?.before, self.last))
            }
            (Some((_, n, through)), _) => {
                // What cut a hold short is what was wrong with it.
                let outcome = match through.to.cut_by.filter(|_| through.to.own < 0) {
                    Some(by) if is_hold(&self.track.way.steps[n]) => {
                        ComboAttemptOutcome::Broken(by)
                    }
                    _ => ComboAttemptOutcome::Near,
                };
                (outcome, self.chain(n, through.from, through.to))
            }
            (None, Some((n, through))) => {
                let by = through.broken?;
                (ComboAttemptOutcome::Broken(by), self.chain(n, through.from, through.to))
            }
            (None, None) => {
                checks.clear();
                (ComboAttemptOutcome::Missed, self.least_missed()?)
            }
        };
        self.add_others(&mut checks, &chain);
        let attempt = ComboAttempt {
            began: chain.first().map_or(self.last.began, |hit| hit.began),
            ended: self.last.met,
            ended_at: self.last.met_at(),
            outcome,
            is_mirrored: self.track.number > 0,
            copy: self.ladder.copy,
            rungs: chain.iter().map(rung).collect(),
            checks,
        };
        let used = chain.iter().map(|hit| hit.number).collect();
        Some(Judged { attempt, used, is_met })
    }

    /// For each limit the best chain that keeps every other, and of the limits that
    /// were nearly kept the nearest.
    fn found(&self) -> Found {
        let mut checks = Vec::new();
        let mut nearest: Option<(f64, usize, Through)> = None;
        let mut broken: Option<(usize, Through)> = None;
        for n in 0..self.track.way.steps.len() {
            for &part in Part::VARIANTS {
                let Some(through) = self.through(n, part) else { continue };
                let Some(limit) = part.limit(n) else {
                    broken = broken.or(through.broken.map(|_| (n, through)));
                    continue;
                };
                let Some(asked) = self.ladder.combo.limit(limit) else { continue };
                // Where nothing was pressed before, no calm is too long.
                let is_free = part == Part::Calm && through.slack == i64::MAX;
                if is_free || is_idle(limit, n, asked) {
                    continue;
                }
                let is_alone = !self.is_coupled_by_early(n, part);
                let check = LimitCheck { limit, asked, margin: through.slack, is_alone };
                if through.slack < 0 && is_near(&check) {
                    let share = check.shortfall();
                    if nearest.is_none_or(|(least, ..)| share < least) {
                        nearest = Some((share, n, through));
                    }
                }
                checks.push(check);
            }
        }
        Found { checks, nearest, broken }
    }

    /// From which hits a chain leads to the last one.
    fn leading(&self) -> Vec<Vec<bool>> {
        let count = self.track.way.steps.len();
        let mut leads: Vec<Vec<bool>> = vec![Vec::new(); count];
        for n in (0..count - 1).rev() {
            let leads_on = |from: &Hit| {
                let mut next = self.hits(n + 1).zip(leads[n + 1].iter().copied().chain([true]));
                next.any(|(to, on)| {
                    let link = || self.ladder.link(&self.track.way, n + 1, from, to);
                    on && to.is_sound() && link().is_some_and(|link| link.is_kept())
                })
            };
            leads[n] = self.hits(n).map(|from| from.is_sound() && leads_on(from)).collect();
        }
        leads
    }

    /// The hits of a step; of the last only the one that is judged.
    pub(super) fn hits(&self, n: usize) -> impl Iterator<Item = &Hit> {
        let is_last = n + 1 == self.track.way.steps.len();
        let hits = self.track.hits[n].iter().filter(move |_| !is_last);
        hits.chain(is_last.then_some(&self.last))
    }

    /// Whether a chain leads from the hit at a place of a step to the last one.
    fn is_leading(&self, n: usize, at: usize) -> bool {
        n + 1 == self.track.way.steps.len() || self.leads[n].get(at).copied().unwrap_or(false)
    }

    /// By how much the limit on the whole is kept by the best chain; `None`
    /// without one, or without a chain.
    fn all_slack(&self) -> Option<i64> {
        let all = self.ladder.combo.all?;
        let best = self.last.best.filter(|best| best.first > self.ladder.spent_for())?;
        Some(all.amount() - all.between(best.began, self.last.met))
    }

    /// Whether a chain that began then is not over all too long.
    fn is_short(&self, began: Moment) -> bool {
        let all = self.ladder.combo.all;
        all.is_none_or(|all| all.between(began, self.last.met) <= all.amount())
    }

    /// The chain that keeps one part of a step best, all others being kept.
    fn through(&self, n: usize, part: Part) -> Option<Through> {
        let mut best: Option<Through> = None;
        let is_hold = matches!(self.track.way.steps[n].what, StepKind::Hold(..));
        let is_coupled = part == Part::Own && is_hold && n + 1 < self.track.way.steps.len();
        // A hold that goes on has been long enough for a smaller limit.
        let going = self.track.pending.iter().filter(|of| is_coupled && of.step == n);
        let going = going.map(|of| &of.hit);
        for (at, to) in self.hits(n).chain(going).enumerate() {
            if !(is_coupled || self.is_leading_but(n, at, to, part)) {
                continue;
            }
            if (part != Part::Own && to.own < 0) || (part != Part::Calm && to.calm < 0) {
                continue;
            }
            for (from, began, link) in self.befores(n, to) {
                let is_kept = link.is_none_or(|link| link.is_kept_but(part));
                if !is_kept || !self.is_short(began) {
                    continue;
                }
                let slack = match part {
                    Part::Calm => (n == 0).then_some(to.calm),
                    Part::After => link.map(|link| self.after_slack(n, began, from, link)),
                    Part::Within => link.map(|link| link.within),
                    Part::Broken => link.and_then(|link| link.broken).map(|_| -1),
                    Part::Own if is_coupled => self.hold_slack(n, to, began),
                    Part::Own => self.own_slack(n, to, began),
                };
                let Some(slack) = slack else { continue };
                if best.is_none_or(|best| slack > best.slack) {
                    let broken = link.and_then(|link| link.broken);
                    best = Some(Through { slack, from, to: *to, broken });
                }
            }
        }
        best
    }

    /// A step that does not keep its own limit leads on all the same when it is
    /// that limit which is looked at.
    fn is_leading_but(&self, n: usize, at: usize, to: &Hit, part: Part) -> bool {
        let is_missed = match part {
            Part::Own => to.own < 0,
            Part::Calm => to.calm < 0,
            _ => false,
        };
        if !is_missed || n + 1 == self.track.way.steps.len() {
            return self.is_leading(n, at);
        }
        let mut next = self.hits(n + 1).enumerate();
        next.any(|(at, next)| {
            let link = self.ladder.link(&self.track.way, n + 1, to, next);
            next.is_sound() && self.is_leading(n + 1, at) && link.is_some_and(|link| link.is_kept())
        })
    }

    /// By how much a step keeps its earliest moment. A press that comes early makes
    /// the last step be met the later, the later that moment is: so it is held by
    /// what is asked of the whole too.
    fn after_slack(&self, n: usize, began: Moment, from: Option<u32>, link: Link) -> i64 {
        let step = &self.track.way.steps[n];
        let from = from.and_then(|number| find(&self.track.hits[n - 1], number));
        let (Some(all), Some(from)) = (self.ladder.combo.all, from) else { return link.after };
        if step.buffer.amount() == 0 || n + 1 < self.track.way.steps.len() {
            return link.after;
        }
        let room = all.amount() - all.between(began, from.met) - step.after.amount();
        link.after.min(room)
    }

    /// Whether a limit moves the moment at which a press that came early counts,
    /// and with it what other limits ask of what follows.
    fn is_coupled_by_early(&self, n: usize, part: Part) -> bool {
        let steps = &self.track.way.steps;
        let may_be_early = |n: usize| steps.get(n).is_some_and(|step| step.buffer.amount() > 0);
        let is_last = n + 1 == steps.len();
        let is_alike = |all: TimeSpan| {
            core::mem::discriminant(&all) == core::mem::discriminant(&steps[n].after)
        };
        match part {
            Part::After if may_be_early(n) => {
                !is_last || !self.ladder.combo.all.is_none_or(is_alike)
            }
            Part::Own => may_be_early(n + 1),
            _ => false,
        }
    }

    /// The hits before one that a chain leads to, with when that began.
    fn befores(&self, n: usize, to: &Hit) -> Vec<(Option<u32>, Moment, Option<Link>)> {
        let spent = self.ladder.spent_for();
        if n == 0 {
            return (to.first > spent).then_some((None, to.began, None)).into_iter().collect();
        }
        let from = self.track.hits[n - 1].iter().filter_map(|from| {
            let best = from.best.filter(|best| best.first > spent)?;
            Some((
                Some(from.number),
                best.began,
                Some(self.ladder.link(&self.track.way, n, from, to)?),
            ))
        });
        from.collect()
    }

    /// By how much the last step keeps its own limit, which moves the end of the
    /// whole.
    fn own_slack(&self, n: usize, to: &Hit, began: Moment) -> Option<i64> {
        let span = self.track.way.steps[n].what.span()?;
        let is_end = !matches!(self.track.way.steps[n].what, StepKind::Together { .. });
        let all = self.ladder.combo.all.filter(|_| is_end && n + 1 == self.track.way.steps.len());
        let Some(all) = all else { return Some(to.own) };
        // Longer than the whole allows it cannot be asked to be.
        let room = all.amount() - all.between(began, to.press);
        let room = match (all, span) {
            (TimeSpan::Time(_), TimeSpan::Time(_)) | (TimeSpan::Ticks(_), TimeSpan::Ticks(_)) => {
                room - span.amount()
            }
            _ => i64::MAX,
        };
        Some(to.own.min(room))
    }

    /// By how much a hold that is not the last step keeps its own limit: how long
    /// it must be moves when the next step may come.
    fn hold_slack(&self, n: usize, to: &Hit, began: Moment) -> Option<i64> {
        let span = self.track.way.steps[n].what.span()?;
        let step = &self.track.way.steps[n + 1];
        if let StepKind::Quiet(quiet) = step.what {
            return self.hold_slack_before_quiet(span, quiet, to, began);
        }
        let opens = step.opens();
        let next = self.hits(n + 1).enumerate().filter(|(at, next)| {
            let is_kept = self.ladder.broken(&self.track.way, n + 1, to, next).is_none()
                && next.lifts.is_none_or(|press| press == to.serial);
            to.serial < next.first && next.is_sound() && self.is_leading(n + 1, *at) && is_kept
        });
        let slacks = next.filter_map(|(_, next)| {
            let passed = span.between(to.press, next.press);
            let most = (passed - opens.amount()).min(to.own.saturating_add(span.amount()));
            let least = passed - step.within.amount();
            // It may be no longer than `most`, and no shorter than `least`.
            (least <= most && least <= span.amount().max(most)).then_some(most - span.amount())
        });
        slacks.max()
    }

    /// The same where only a quiet follows, which begins when the hold is over and
    /// ends when it ends.
    fn hold_slack_before_quiet(
        &self,
        span: TimeSpan,
        quiet: TimeSpan,
        to: &Hit,
        began: Moment,
    ) -> Option<i64> {
        let next = Some(&self.last).filter(|next| next.of == Some(to.number))?;
        let passed = span.between(to.press, next.press);
        let most = to.own.saturating_add(span.amount());
        let most = most.min(passed.saturating_add(next.own));
        let room =
            self.ladder.combo.all.map_or(i64::MAX, |all| {
                all.amount() - all.between(began, to.press) - quiet.amount()
            });
        let most = most.min(room);
        // A quiet that began earlier would have had more to bear.
        let noise = self.ladder.noise(&self.track.way, to, next.press, span);
        noise.is_none_or(|noise| noise < most).then_some(most - span.amount())
    }

    /// The chain through a hit of a step, and one before it.
    fn chain(&self, n: usize, from: Option<u32>, to: Hit) -> Vec<Hit> {
        let mut chain = vec![to];
        let mut before = from;
        for n in (0..n).rev() {
            let Some(hit) = before.and_then(|number| find(&self.track.hits[n], number)) else {
                break;
            };
            chain.push(*hit);
            before = hit.best.and_then(|best| best.before);
        }
        chain.reverse();
        for n in n + 1..self.track.way.steps.len() {
            let Some(from) = chain.last() else { break };
            let leads = |(at, to): &(usize, &Hit)| {
                to.serial > from.serial && to.is_sound() && self.is_leading(n, *at)
            };
            let next: Vec<&Hit> =
                self.hits(n).enumerate().filter(leads).map(|(_, to)| to).collect();
            let is_kept = |to: &&&Hit| {
                let link = self.ladder.link(&self.track.way, n, from, to);
                link.is_some_and(|link| link.is_kept())
            };
            let Some(&next) = next.iter().find(is_kept).or(next.first()) else { break };
            chain.push(*next);
        }
        chain
    }

    /// The limits of which no chain keeps all others, as the chain shown has
    /// them.
    fn add_others(&self, checks: &mut Vec<LimitCheck>, chain: &[Hit]) {
        for n in 0..chain.len().min(self.track.way.steps.len()) {
            let link = n
                .checked_sub(1)
                .and_then(|m| self.ladder.link(&self.track.way, n, &chain[m], &chain[n]));
            for &part in Part::VARIANTS {
                let Some(limit) = part.limit(n) else { continue };
                let Some(asked) = self.ladder.combo.limit(limit) else { continue };
                let is_known = checks.iter().any(|check| check.limit == limit);
                let margin = match part {
                    Part::After => link.map(|link| link.after),
                    Part::Within => link.map(|link| link.within),
                    Part::Calm => Some(chain[n].calm).filter(|&calm| calm < i64::MAX),
                    _ => Some(chain[n].own),
                };
                if let Some(margin) = margin.filter(|_| !is_known && !is_idle(limit, n, asked)) {
                    checks.push(LimitCheck { limit, asked, margin, is_alone: false });
                }
            }
        }
        let all = self.ladder.combo.all.filter(|_| chain.len() == self.track.way.steps.len());
        let is_known = checks.iter().any(|check| check.limit == ComboLimit::All);
        if let (Some(asked), Some(first), false) = (all, chain.first(), is_known) {
            let margin = asked.amount() - asked.between(first.began, self.last.met);
            checks.push(LimitCheck { limit: ComboLimit::All, asked, margin, is_alone: false });
        }
        checks.sort_by_key(|check| (check.limit.step().unwrap_or(u8::MAX), check.limit));
    }
}

fn is_hold(step: &ComboStep) -> bool {
    matches!(step.what, StepKind::Hold(..))
}

/// Whether a limit asks nothing.
fn is_idle(limit: ComboLimit, step: usize, asked: TimeSpan) -> bool {
    match limit {
        ComboLimit::After(_) => asked.amount() <= 0,
        ComboLimit::Within(_) => step == 0,
        ComboLimit::Calm | ComboLimit::Own(_) | ComboLimit::All => false,
    }
}

fn is_near(check: &LimitCheck) -> bool {
    let least = match check.asked {
        TimeSpan::Time(_) => NEAR_TIME,
        TimeSpan::Ticks(_) => NEAR_TICKS,
    };
    check.margin < 0 && -check.margin <= check.asked.amount().max(least)
}
