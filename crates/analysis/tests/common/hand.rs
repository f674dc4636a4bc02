//! Fingers on a panel of 160 by 80 millimetres, polled 60 times a second.

use super::*;

/// One gesture of its kind with its defaults, but for these limits.
pub fn gesture(name: &str, kind: GestureKind, limits: &[(Quantity, f32)]) -> Gesture {
    with_fingers(name, kind, *kind.fingers().start(), limits)
}

pub fn with_fingers(
    name: &str,
    kind: GestureKind,
    fingers: u8,
    limits: &[(Quantity, f32)],
) -> Gesture {
    let defaults = kind.defaults(fingers);
    let limits = limits.iter().fold(defaults, |limits, &(of, limit)| limits.with(of, limit));
    Gesture { fingers, limits, ..Gesture::new(name, kind) }
}

/// A sign of two strokes, down and to the right.
pub fn hook() -> Sign {
    let path = vec![[0.0, 0.0], [0.0, 20.0], [10.0, 20.0]];
    Sign { name: "hook".into(), examples: vec![path] }
}

/// One of each kind; a sign, and the zone of a click, is the first of the rig.
pub fn every_kind() -> [GestureKind; 14] {
    let (toward, from_edge) = (SwipeDirections::FOUR, Some(PanelEdge::Left));
    [
        GestureKind::Tap { times: 1 },
        GestureKind::Tap { times: 2 },
        GestureKind::Press,
        GestureKind::Swipe { toward, fires: SwipeFires::Passing, from_edge: None },
        GestureKind::Swipe { toward, fires: SwipeFires::Release, from_edge },
        GestureKind::Drag,
        GestureKind::Pinch,
        GestureKind::Rotate,
        GestureKind::Stick(StickCentre::Following),
        GestureKind::Stick(StickCentre::Fixed([0.5, 0.5])),
        GestureKind::Aim { origin: [0.5, 0.5] },
        GestureKind::Sign { sign: SignId(0) },
        GestureKind::Flick,
        GestureKind::Click { lifts_in: ZoneId(0) },
    ]
}

/// A rig of gestures, each of which is an action of the same name.
pub fn gesture_rig(gestures: Vec<Gesture>) -> Rig {
    let from = |(n, gesture): (usize, &Gesture)| {
        let shape = ShapeUse::Own(Shape::default());
        let gives = match gesture.kind {
            kind if kind.is_double() => Gives::Plane,
            kind if kind.has_value() => Gives::Axis,
            _ => Gives::On,
        };
        action(&gesture.name, gives, vec![InputSpec::Gesture { gesture: GestureId::at(n), shape }])
    };
    let actions = gestures.iter().enumerate().map(from).collect();
    Rig { gestures, ..rig(actions) }
}

/// A report of one finger: milliseconds, contact, and where it is in
/// millimetres, or `None` for lifted.
pub type Report = (f64, u32, Option<[f32; 2]>);

pub struct Hand {
    pub desk: Desk,
}

impl Hand {
    pub fn new(rig: Rig) -> Self {
        let mut desk = Desk::new(rig);
        desk.session.plug(fine_glass(), Nanos(0)).unwrap();
        Hand { desk }
    }

    /// Reports in order, and then runs a second more.
    pub fn play(&mut self, reports: &[Report]) {
        for &(ms, contact, place) in reports {
            self.report(ms, contact, place);
        }
        let last = reports.last().map_or(0.0, |report| report.0);
        self.run_to(last + 1000.0);
    }

    pub fn report(&mut self, ms: f64, contact: u32, place: Option<[f32; 2]>) {
        self.run_to(ms - 20.0);
        let part = |axis: &str| format!("glass/contact-{contact}{axis}");
        if let Some([x, y]) = place {
            self.desk.set(ms, &part("-x"), units(x));
            self.desk.set(ms, &part("-y"), units(y));
        }
        self.desk.set(ms, &part(""), i32::from(place.is_some()));
    }

    pub fn run_to(&mut self, ms: f64) {
        self.desk.run_to((ms.max(0.0) * 0.06) as u32);
    }

    pub fn verdicts(&self) -> Vec<GestureVerdict> {
        self.desk.session.history().verdicts().iter().copied().collect()
    }

    /// The names of the gestures that fired, in order.
    pub fn fired(&self) -> Vec<String> {
        let mut fired: Vec<GestureVerdict> =
            self.verdicts().into_iter().filter(|verdict| verdict.fired.is_some()).collect();
        fired.sort_by_key(|verdict| verdict.fired);
        let name =
            |v: &GestureVerdict| self.desk.session.rig().gestures[v.gesture.index()].name.clone();
        fired.iter().map(name).collect()
    }
}

/// Hundred units a millimetre.
fn units(mm: f32) -> i32 {
    (mm * 100.0).round() as i32
}

/// The panel, in hundredths of a millimetre.
pub fn fine_glass() -> DeviceInfo {
    let mut info = glass();
    for control in &mut info.controls {
        if let ControlKind::Position { max, .. } = &mut control.kind {
            *max *= 16;
            control.grain.resolution = 100;
        }
    }
    info
}

/// A finger that lands, goes straight from one place to another in so many
/// milliseconds, reported 120 times a second, and lifts.
pub fn stroke(begin: f64, contact: u32, from: [f32; 2], to: [f32; 2], ms: f64) -> Vec<Report> {
    path(begin, contact, &[from, to], ms)
}

/// The same along several places, each leg in the same time.
pub fn path(begin: f64, contact: u32, places: &[[f32; 2]], ms: f64) -> Vec<Report> {
    let parts = (ms * 0.12).ceil().max(1.0) as usize;
    let legs = (places.len() - 1) as f64;
    let at = |n: usize| {
        let along = legs * n as f64 / parts as f64;
        let leg = (along as usize).min(places.len() - 2);
        let share = (along - leg as f64) as f32;
        let [a, b] = [places[leg], places[leg + 1]];
        let place = [0, 1].map(|axis| a[axis] + (b[axis] - a[axis]) * share);
        (begin + ms * n as f64 / parts as f64, contact, Some(place))
    };
    let mut reports: Vec<Report> = (0..=parts).map(at).collect();
    reports.push((begin + ms + 1.0, contact, None));
    reports
}

/// A finger that lands and lifts at one place.
pub fn tap(begin: f64, contact: u32, at: [f32; 2], ms: f64) -> Vec<Report> {
    vec![(begin, contact, Some(at)), (begin + ms, contact, None)]
}

/// Reports of several fingers, in order of time.
pub fn together(parts: impl IntoIterator<Item = Vec<Report>>) -> Vec<Report> {
    let mut all: Vec<Report> = parts.into_iter().flatten().collect();
    all.sort_by(|a, b| a.0.total_cmp(&b.0));
    all
}
