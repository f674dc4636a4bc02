//! What is measured of an attempt, and what it gives.

use super::*;

impl GestureAttempt {
    /// The same as [`GestureAttempt::measure`], for who asks once.
    pub(crate) fn measure_once(&self, of: &BoundGesture, quantity: Quantity, until: Nanos) -> f32 {
        self.measure(of, quantity, until)
    }

    /// What a quantity is when things have been as they are until `until`: in milliseconds,
    /// degrees, the unit of the gesture (per second of a speed), or a ratio. What several taps
    /// have between them is measured elsewhere, and is 0 here, as are quantities that are a scale
    /// and no limit.
    // A moment asks for a few of these, and there are a dozen moments for a finger that moves.
    #[inline(always)]
    pub(crate) fn measure(&self, of: &BoundGesture, quantity: Quantity, until: Nanos) -> f32 {
        let since = |begin: Nanos| millis(until.0.saturating_sub(begin.0));
        match quantity {
            Quantity::Lift | Quantity::Hold | Quantity::Time => since(self.first().landing.time),
            Quantity::Move => self.moved,
            Quantity::Together => match self.is_complete(of) {
                true => millis(self.complete.0.saturating_sub(self.first().landing.time.0)),
                false => since(self.first().landing.time),
            },
            Quantity::Length => match of.kind {
                GestureKind::Sign { .. } => self.path,
                _ => self.far(),
            },
            Quantity::Speed => self.far() * 1000.0 / since(self.first().landing.time).max(1e-3),
            Quantity::Straight => self.straightness(),
            Quantity::OffAxisDeg => self
                .off_axis(of)
                .map_or(180.0, |[along, beside]| libm::atan2f(beside, along) * (180.0 / PI)),
            Quantity::OffAxisMm => self.off_axis(of).map_or(f32::INFINITY, |[along, beside]| {
                if along > 0.0 { beside } else { f32::INFINITY }
            }),
            Quantity::Edge => {
                of.from_edge.map_or(0.0, |edge| edge.distance(self.first().start, self.size))
            }
            Quantity::Slop => match of.kind {
                GestureKind::Pinch => (length(self.last_line) - length(self.line)).abs(),
                _ => self.far(),
            },
            Quantity::SlopDeg => self.turned.abs(),
            Quantity::Catch => length(minus(self.first().start, self.centre)),
            Quantity::Dead => length(minus(self.first().at, self.centre)),
            Quantity::Release => length(self.release),
            Quantity::Outside => {
                let lifted = self.first().at;
                of.lifts_in.as_ref().map_or(0.0, |zone| zone.outside(lifted, self.size))
            }
            Quantity::Differs => self.likeness[0],
            Quantity::Lead => self.likeness[1],
            // Those of several taps are measured over all of them.
            Quantity::Gap | Quantity::Spread => 0.0,
            Quantity::Ring
            | Quantity::Reach
            | Quantity::ReachTimes
            | Quantity::ReachDeg
            | Quantity::ReachSpeed => 0.0,
        }
    }

    /// Its way as a share of the path of its first finger: at most 1, for the middle of several
    /// fingers may get further than the first of them; 0 where it went nowhere.
    fn straightness(&self) -> f32 {
        match self.far() {
            way if way < self.path => way / self.path,
            way if way > 0.0 => 1.0,
            _ => 0.0,
        }
    }

    /// How far it went along the nearest direction that its gesture allows, and how far beside
    /// that, in the unit of the gesture; nothing if it did not go anywhere.
    #[inline(never)]
    fn off_axis(&self, of: &BoundGesture) -> Option<[f32; 2]> {
        of.toward.along_and_beside(self.way_up())
    }

    /// It fires: what it gives may be measured from here on.
    pub(crate) fn begin_output(&mut self, of: &BoundGesture) {
        if of.measured_from == MeasuredFrom::Firing {
            self.zero = Some((self.way_up(), length(self.last_line), self.turned));
        }
    }

    /// What it gives as its fingers are, if it lasts: nobody may have asked since they moved.
    pub(crate) fn bring_value_up_to_date(&mut self, of: &BoundGesture) {
        if self.is_lasting && of.gives && !of.remembers {
            self.value = self.output(of);
        }
    }

    /// What it gives now: see [`GestureKind`].
    ///
    /// | kind | value |
    /// |---|---|
    /// | swipe | the nearest direction, of length 1 |
    /// | flick | velocity over the scale, in the unit circle |
    /// | drag | way over the scale, in the unit circle |
    /// | pinch | `ln(distance / distance at first) / ln(scale)`, between -1 and 1 |
    /// | rotate | turn over the scale, between -1 and 1 |
    /// | stick | way from the centre over the ring, in the unit circle |
    /// | aim | the direction, of length 1, or the way over the scale |
    pub(crate) fn output(&mut self, of: &BoundGesture) -> [f32; 2] {
        let (way, line, turned) = self.zero.unwrap_or(([0.0; 2], length(self.line), 0.0));
        match of.kind {
            GestureKind::Tap { .. }
            | GestureKind::Press
            | GestureKind::Sign { .. }
            | GestureKind::Click { .. } => [0.0; 2],
            GestureKind::Flick => clamp_to_circle(self.release.map(|part| part / of.scale)),
            GestureKind::Swipe { toward, .. } => toward.nearest(self.way_up()).unwrap_or([0.0; 2]),
            GestureKind::Drag => {
                clamp_to_circle(minus(self.way_up(), way).map(|part| part / of.scale))
            }
            GestureKind::Pinch => {
                // A finger is no point: below a millimetre no ratio means anything.
                let ratio = length(self.last_line).max(self.per_mm) / line.max(self.per_mm);
                [(libm::logf(ratio) / libm::logf(of.scale)).clamp(-1.0, 1.0), 0.0]
            }
            GestureKind::Rotate => [((self.turned - turned) / of.scale).clamp(-1.0, 1.0), 0.0],
            GestureKind::Stick(ring) => self.stick(ring, of.scale),
            GestureKind::Aim { .. } => {
                let [x, y] = minus(self.first().at, self.centre);
                let is_dead = of.limit(Quantity::Dead).is_some_and(|dead| length([x, y]) < dead);
                match SwipeDirections::Any.nearest([x, -y]) {
                    Some(_) if !is_dead && of.has_scale => {
                        clamp_to_circle([x / of.scale, -y / of.scale])
                    }
                    Some(direction) if !is_dead => direction,
                    _ => [0.0; 2],
                }
            }
        }
    }

    /// Where the finger is in the ring of a stick, y up and held in the unit circle. A centre
    /// that follows is drawn along by as much as the finger is beyond the ring.
    fn stick(&mut self, ring: StickCentre, radius: f32) -> [f32; 2] {
        let [x, y] = minus(self.first().at, self.centre);
        if ring == StickCentre::Following {
            let far = length([x, y]);
            let excess = if far > radius { (far - radius) / far } else { 0.0 };
            self.centre = [self.centre[0] + x * excess, self.centre[1] + y * excess];
        }
        clamp_to_circle([x / radius, -y / radius])
    }
}
