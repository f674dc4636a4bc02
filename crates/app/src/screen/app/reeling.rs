//! Moving through a reel: another part of it is read, and takes the place of the one that is
//! shown.

use super::App;
use crate::{
    files::Begun,
    reels::{ReelPart, in_words},
    screen::view::{all_lanes, lane_name},
};
use gtrig_core::{Nanos, Tick};

impl App {
    /// The reel, if what is shown is a part of one.
    pub(crate) fn reel(&self) -> Option<&ReelPart> {
        self.document.reel.as_ref().filter(|reel| !reel.is_whole())
    }

    /// Puts the playhead on an instant, of a reel on any.
    pub(super) fn go_to_time(&mut self, time: Nanos) {
        let rate = self.session().plan().rate();
        let shown = [self.session().history().begins(), self.last()];
        let Some(reel) = self.reel() else { return self.go_to(rate.tick_seeing(time)) };
        let [begins, ends] = reel.whole();
        let time = time.clamp(begins, ends);
        let tick = rate.tick_seeing(time);
        match (shown[0]..=shown[1]).contains(&tick) {
            true => self.go_to(tick),
            false => self.open_part(time),
        }
    }

    /// Steps by so many ticks; from an edge of the part that is shown, to what lies beyond it.
    pub(super) fn step_by(&mut self, by: i32) {
        let at = self.tick();
        match self.beyond_edge(by) {
            Some(time) => self.open_part(time),
            None => self.go_to(Tick(at.0.saturating_add_signed(by))),
        }
    }

    /// What of the reel lies beyond the edge of its part at which the playhead stands.
    fn beyond_edge(&self, way: i32) -> Option<Nanos> {
        let reel = self.reel().filter(|_| !self.is_reading())?;
        let ([begins, ends], [first, next]) = (reel.whole(), reel.shown());
        let is_at = |tick| self.tick() == tick;
        match way > 0 {
            true => (is_at(self.last()) && next < ends).then_some(next),
            false => (is_at(self.session().history().begins()) && begins < first)
                .then(|| Nanos(first.0 - 1)),
        }
    }

    /// To the beginning of the part that is shown; from there to that of the reel.
    pub(super) fn go_to_begin(&mut self) {
        let first = self.session().history().begins();
        match self.reel().map(ReelPart::whole) {
            Some([begins, _]) if self.tick() == first => self.go_to_time(begins),
            _ => self.go_to(first),
        }
    }

    /// To the end of the part that is shown; from there to that of the reel.
    pub(super) fn go_to_end(&mut self) {
        match self.reel().map(ReelPart::whole) {
            Some([_, ends]) if self.tick() == self.last() => self.go_to_time(ends),
            _ => self.go_to(self.last()),
        }
    }

    /// Has the part around an instant read, in a thread of its own.
    fn open_part(&mut self, time: Nanos) {
        if !self.may_leave() {
            return;
        }
        let rig = self.session().rig().clone();
        if let Some(reel) = self.document.reel.clone() {
            self.tell(format!("reading the reel at {}", in_words(time)), false);
            self.jobs.open_part(reel, time, rig);
        }
    }

    /// Shows a part that was read. What the person set up stays.
    pub(super) fn show_part(&mut self, begun: Begun, time: Nanos) {
        let chosen = self.view.chosen.map(|lane| lane_name(self.session(), lane));
        let (zoom, search) = (self.view.stretch.zoom, self.view.search);
        let filter = std::mem::take(&mut self.view.filter);
        self.replace_by(App::begun(begun, self.theme), None);
        (self.view.stretch.zoom, self.view.search, self.view.filter) = (zoom, search, filter);
        // A device may stand elsewhere on the roster of another part.
        let session = self.session();
        let lanes = all_lanes(session).into_iter();
        let same = lanes.rev().find(|&lane| Some(lane_name(session, lane)) == chosen);
        self.view.chosen = same.or(self.view.chosen);
        self.look_at(time);
        self.notice = None;
    }

    /// What share of the reel lies before the playhead.
    pub(crate) fn place_in_reel(&self, reel: &ReelPart) -> f64 {
        let [begins, ends] = reel.whole();
        let at = self.session().plan().rate().time_of(self.tick());
        let of = ends.0.saturating_sub(begins.0).max(1) as f64;
        (at.0.saturating_sub(begins.0) as f64 / of).min(1.0)
    }

    /// To the instant of a column of the row that has the whole reel.
    pub(super) fn go_to_reel_column(&mut self, column: u16, columns: u16) {
        let Some([begins, ends]) = self.reel().map(ReelPart::whole) else { return };
        let share = (f64::from(column) + 0.5) / f64::from(columns.max(1));
        let length = ends.0.saturating_sub(begins.0) as f64;
        self.go_to_time(Nanos(begins.0 + (length * share) as u64));
    }
}
