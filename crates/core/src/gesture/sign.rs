//! Strokes that are recognised by examples.
//!
//! The method is Protractor: Y. Li, "Protractor: a fast and accurate gesture
//! recognizer", CHI 2010. A stroke is resampled to [`POINTS`] points at equal
//! distances along its path, moved so that their middle is the origin, and
//! scaled to length 1 as a vector of all coordinates. The angle between two such
//! vectors, after the rotation that brings them closest, which has a closed
//! form, says how much two strokes differ: 0 degrees for the same shape at any
//! place and size. Here the rotation is held within [`TURN_DEG`], so that a sign
//! and the same sign on its side remain two.

use crate::base::{SignId, length, minus};
use crate::spec::Sign;
use alloc::vec::Vec;
use core::f32::consts::PI;

/// To how many points a stroke is resampled; the paper's number.
pub const POINTS: usize = 16;

/// By how much a stroke may be turned to match: half the angle between two of
/// the paper's eight base orientations.
pub const TURN_DEG: f32 = 22.5;

/// A stroke in the form in which it is compared: a vector of length 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Stroke([[f32; 2]; POINTS]);

impl Stroke {
    /// `None` for a stroke that goes nowhere.
    pub(crate) fn new(path: impl Iterator<Item = [f32; 2]> + Clone) -> Option<Self> {
        let mut points = resampled(path)?;
        let sum = points.iter().fold([0.0; 2], |[x, y], p| [x + p[0], y + p[1]]);
        let middle = sum.map(|part| part / POINTS as f32);
        points = points.map(|point| minus(point, middle));
        let size = libm::sqrtf(points.iter().map(|[x, y]| x * x + y * y).sum());
        (size > 0.0).then(|| Stroke(points.map(|point| point.map(|part| part / size))))
    }

    /// How much another stroke differs, in degrees from 0 to 180.
    ///
    /// `acos(a cos t + b sin t)` with `a` the scalar product of the two, `b` the sum of their cross
    /// products point by point, and `t` the angle `atan2(b, a)`, held within [`TURN_DEG`].
    pub(crate) fn differs(&self, other: &Stroke) -> f32 {
        let pairs = self.0.iter().zip(&other.0);
        let (along, across) = pairs.fold((0.0, 0.0), |(along, across), (p, q)| {
            (along + p[0] * q[0] + p[1] * q[1], across + p[0] * q[1] - p[1] * q[0])
        });
        let most = TURN_DEG / 180.0 * PI;
        let turn = libm::atan2f(across, along).clamp(-most, most);
        let alike = along * libm::cosf(turn) + across * libm::sinf(turn);
        libm::acosf(alike.clamp(-1.0, 1.0)) / PI * 180.0
    }
}

/// Points at equal distances along a path.
///
/// The first and the last point are those of the path; between them every fifteenth of its length.
fn resampled(path: impl Iterator<Item = [f32; 2]> + Clone) -> Option<[[f32; 2]; POINTS]> {
    let legs = path.clone().zip(path.clone().skip(1));
    let total: f32 = legs.clone().map(|(from, to)| length(minus(to, from))).sum();
    if !(total > 0.0 && total.is_finite()) {
        return None;
    }
    let last = path.clone().last()?;
    let mut points = [last; POINTS];
    points[0] = path.clone().next()?;
    let step = total / (POINTS - 1) as f32;
    let (mut gone, mut next) = (0.0, 1);
    for (from, to) in legs {
        let leg = length(minus(to, from));
        while next < POINTS - 1 && gone + leg >= step * next as f32 {
            let share = (step * next as f32 - gone) / leg;
            let [dx, dy] = minus(to, from);
            points[next] = [from[0] + dx * share, from[1] + dy * share];
            next += 1;
        }
        gone += leg;
    }
    Some(points)
}

/// The examples of all signs of a rig, ready to be compared.
#[derive(Clone, Debug, Default)]
pub(crate) struct Signs(Vec<Vec<Stroke>>);

impl Signs {
    /// The signs of a rig. An example that goes nowhere is left out.
    pub(crate) fn new(signs: &[Sign]) -> Self {
        let strokes = |sign: &Sign| {
            sign.examples.iter().filter_map(|path| Stroke::new(path.iter().copied())).collect()
        };
        Signs(signs.iter().map(strokes).collect())
    }

    /// Whether the rig has no signs: then no strokes are kept.
    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// How much a stroke differs from the nearest example of a sign, and by how
    /// much the nearest of all other signs differs more.
    ///
    /// Both in degrees; a sign that has no other beside it leads by what is left to 180.
    pub(crate) fn likeness(&self, stroke: &Stroke, sign: SignId) -> [f32; 2] {
        let nearest = |examples: &Vec<Stroke>| {
            examples.iter().map(|example| stroke.differs(example)).fold(180.0, f32::min)
        };
        let (mut own, mut other) = (180.0, 180.0_f32);
        for (n, examples) in self.0.iter().enumerate() {
            match n == sign.index() {
                true => own = nearest(examples),
                false => other = other.min(nearest(examples)),
            }
        }
        [own, other - own]
    }
}

/// How many places of a stroke are remembered: more than four seconds of one
/// that is polled 1000 times a second and never rests.
pub const MAX_STROKE_PLACES: usize = 4096;

/// The path of a contact since it landed: every place at which a poll found it.
/// Of a stroke of more than [`MAX_STROKE_PLACES`] every other place is left out
/// then, and so on.
///
/// Invariant: it has room for all of them, so that no tick allocates; a copy,
/// which is what a checkpoint holds, has room for what it has.
#[derive(Clone, Debug, Default)]
pub(crate) struct Trail {
    /// The places that are remembered, in millimetres from the top left, y down.
    places: Vec<[f32; 2]>,
    /// How many of the places that are reported make one that is remembered.
    every: u32,
    /// Places since the last one that is remembered.
    skipped: u32,
    /// The place that was reported last, remembered or not.
    last: [f32; 2],
}

impl Trail {
    /// Makes room.
    pub(crate) fn fit(&mut self) {
        self.places.reserve(MAX_STROKE_PLACES - self.places.len());
    }

    /// A contact lands: what was before is forgotten.
    pub(crate) fn begin(&mut self, at: [f32; 2]) {
        self.places.clear();
        self.places.push(at);
        (self.every, self.skipped, self.last) = (1, 0, at);
    }

    /// Goes on, if it has begun.
    pub(crate) fn add(&mut self, at: [f32; 2]) {
        if self.places.is_empty() || at == self.last {
            return;
        }
        self.last = at;
        self.skipped += 1;
        if self.skipped < self.every {
            return;
        }
        if self.places.len() == MAX_STROKE_PLACES {
            let mut keep = false;
            self.places.retain(|_| {
                keep = !keep;
                keep
            });
            self.every *= 2;
        }
        self.places.push(at);
        self.skipped = 0;
    }

    /// Ends it.
    pub(crate) fn end(&mut self) {
        self.places.clear();
    }

    /// What was drawn so far, up to the last place; nothing of a finger that stayed where it
    /// landed.
    pub(crate) fn stroke(&self) -> Option<Stroke> {
        Stroke::new(self.places.iter().copied().chain([self.last]))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::minus;
    use crate::spec::Sign;
    use proptest::prelude::*;

    const HOOK: [[f32; 2]; 3] = [[0.0, 0.0], [0.0, 20.0], [10.0, 20.0]];
    const ROOF: [[f32; 2]; 3] = [[0.0, 10.0], [10.0, 0.0], [20.0, 10.0]];

    fn stroke(path: &[[f32; 2]]) -> Stroke {
        Stroke::new(path.iter().copied()).unwrap()
    }

    #[test]
    fn a_stroke_that_goes_nowhere_is_none() {
        assert_eq!(Stroke::new([[3.0, 4.0]; 9].into_iter()), None);
        assert_eq!(Stroke::new(core::iter::empty()), None);
    }

    #[test]
    fn the_nearest_sign_is_told_and_by_how_much() {
        let sign = |name: &str, path: &[[f32; 2]]| Sign {
            name: name.into(),
            examples: [path.to_vec()].into(),
        };
        let signs = Signs::new(&[sign("hook", &HOOK), sign("roof", &ROOF)]);
        let [own, lead] = signs.likeness(&stroke(&HOOK), SignId(0));
        assert!(own < 0.1 && lead > 20.0, "{own} {lead}");
        let [own, lead] = signs.likeness(&stroke(&HOOK), SignId(1));
        assert!(own > 20.0 && lead < -20.0, "{own} {lead}");
    }

    /// A sign drawn the other way round is another sign.
    #[test]
    fn on_its_head_it_is_another() {
        let upside_down: Vec<[f32; 2]> = ROOF.iter().map(|[x, y]| [*x, -y]).collect();
        assert!(stroke(&ROOF).differs(&stroke(&upside_down)) > 40.0);
    }

    proptest! {
        /// Place and size do not matter, nor does a turn within the limit.
        #[test]
        fn place_size_and_a_small_turn_do_not_matter(
            x in -50.0f32..50.0, y in -50.0f32..50.0, size in 0.1f32..10.0, turn in -20.0f32..20.0,
        ) {
            let (sin, cos) = (turn.to_radians().sin(), turn.to_radians().cos());
            let path = HOOK.map(|[px, py]| {
                [(px * cos - py * sin) * size + x, (px * sin + py * cos) * size + y]
            });
            // An arc cosine of a number just below 1 is no better than this.
            prop_assert!(stroke(&HOOK).differs(&stroke(&path)) < 0.2);
        }

        /// A trail is the path itself, however many places it has.
        #[test]
        fn a_trail_is_the_path(
            places in prop::collection::vec((-50.0f32..50.0, -50.0f32..50.0), 2..300),
        ) {
            let path: Vec<[f32; 2]> = places.into_iter().map(|(x, y)| [x, y]).collect();
            let mut trail = Trail::default();
            trail.fit();
            trail.begin(path[0]);
            path[1..].iter().for_each(|&place| trail.add(place));
            prop_assert_eq!(trail.stroke(), Stroke::new(path.into_iter()));
        }

        /// One that is too long to be remembered is told nearly as well.
        #[test]
        fn a_long_trail_is_nearly_the_path(parts in 3_000u32..20_000, size in 1.0f32..20.0) {
            let path = HOOK.map(|[x, y]| [x * size, y * size]);
            let mut trail = Trail::default();
            trail.begin(path[0]);
            for leg in path.windows(2) {
                for n in 1..=parts {
                    let share = n as f32 / parts as f32;
                    let [dx, dy] = minus(leg[1], leg[0]);
                    trail.add([leg[0][0] + dx * share, leg[0][1] + dy * share]);
                }
            }
            prop_assert!(trail.places.len() <= MAX_STROKE_PLACES);
            let differs = trail.stroke().unwrap().differs(&stroke(&path));
            // An arc cosine of a number just below 1 is no better than this.
            prop_assert!(differs < 0.2, "{}", differs);
        }
    }
}
