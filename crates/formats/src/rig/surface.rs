//! The `[surface]` table of a rig.

use super::{
    fields::{Fields, Value},
    problem::Problems,
};
use gtrig_core::{Camera, Surface, Turn, ViewWindow, tunable};

/// No panel, window or view is larger than this, in any unit.
const LARGEST: f64 = 100_000.0;

pub(super) fn read(problems: &mut Problems, table: &mut Fields) -> Surface {
    let pixels = table.take("pixels").and_then(|v| size(problems, v));
    let mm = table.take("mm").and_then(|v| size(problems, v));
    let turn = table.take("turned").and_then(|v| turned(problems, v)).unwrap_or_default();
    let window_value = table.take("window");
    let camera_value = table.take("world");
    let window = window_value.and_then(|v| window(problems, v));
    let camera = camera_value.and_then(|v| camera(problems, v));
    for (value, needs, is_there) in [
        (window_value, "`pixels`: the size of the panel that the window is on", pixels.is_some()),
        (camera_value, "`window`: the view that shows the world", window_value.is_some()),
    ] {
        if let Some(value) = value.filter(|_| !is_there) {
            problems.add(value.span(), problems.quote(value.span()), needs);
        }
    }
    Surface { pixels, mm, turn, window, camera }
}

/// Two numbers above 0.
fn size(problems: &mut Problems, value: Value) -> Option<[f32; 2]> {
    let expected = "a width and a height, each above 0 and at most 100000";
    value.numbers(problems, expected, |n| n > 0.0 && n <= LARGEST)
}

fn turned(problems: &mut Problems, value: Value) -> Option<Turn> {
    let degrees = value.integer();
    let turn = Turn::DEGREES.iter().find(|(n, _)| Some(*n) == degrees).map(|(_, turn)| *turn);
    if turn.is_none() {
        let expected = "0, 90, 180 or 270: degrees clockwise";
        problems.add(value.span(), problems.quote(value.span()), expected);
    }
    turn
}

/// `{ at = [0, 0], size = [1920, 1080], view = [1280, 720] }`
fn window(problems: &mut Problems, value: Value) -> Option<ViewWindow> {
    let mut fields = value.table(problems)?;
    let expected = "left and top of the window on the panel, in its pixels";
    let at = fields
        .take("at")
        .map_or(Some([0.0; 2]), |v| v.numbers(problems, expected, |n| n.abs() <= LARGEST));
    let sized = fields.take("size");
    let view = fields.take("view").and_then(|v| size(problems, v));
    let Some(sized) = sized else {
        let expected = "`size`: width and height of the window, in pixels of the panel";
        problems.add(value.span(), "a window without it".to_owned(), expected);
        fields.finish(problems);
        return None;
    };
    let size = size(problems, sized);
    fields.finish(problems);
    Some(ViewWindow { at: at?, size: size?, view: view.or(size)? })
}

/// `{ camera = [120, 40], zoom = 2 }`
fn camera(problems: &mut Problems, value: Value) -> Option<Camera> {
    let mut fields = value.table(problems)?;
    let expected = "the place of the world in the middle of the view: x and y";
    let at = fields
        .take("camera")
        .map_or(Some([0.0; 2]), |v| v.numbers(problems, expected, |n| tunable::CAMERA.allows(n)));
    let zoom = fields.take("zoom").and_then(|v| v.tunable(problems, &tunable::ZOOM));
    fields.finish(problems);
    Some(Camera { at: at?, zoom: zoom.unwrap_or(tunable::ZOOM.default) as f32 })
}
