//! The surface of a touch panel and the spaces that a value on it can be in.
//!
//! ```text
//!  panel ──▶ window ──▶ view ──▶ world
//!  shares,    pixels     the       what the game
//!  mm, px     of it      game's    scrolls and zooms
//!                        pixels
//! ```
//!
//! - The **panel** is measured in shares (0 to 1), millimetres or pixels, from
//!   the top left of the picture, however the device is turned.
//! - The **window** is a part of the panel, in pixels. The game's own picture,
//!   the **view**, is scaled to fit into it, and the rest is bars.
//! - The **world** lies behind the view: a camera looks at a place of it, which
//!   is in the middle of the view, and `zoom` pixels of the view are one unit.
//!   y points down in all of them.

use strum::{IntoStaticStr, VariantArray};
/// By how much the device is turned, clockwise, as whoever looks at the upright
/// picture sees it.
///
/// ```
/// use gtrig_core::Turn;
///
/// // The upper left corner of a panel that was turned by a quarter is at the upper right.
/// assert_eq!(Turn::Quarter.apply([0.0, 0.0]), [1.0, 0.0]);
/// assert_eq!(Turn::Quarter.size([160.0, 90.0]), [90.0, 160.0]);
/// assert_eq!(Turn::Quarter.back().apply(Turn::Quarter.apply([0.2, 0.7])), [0.2, 0.7]);
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Turn {
    /// Not at all.
    #[default]
    None,
    /// By 90 degrees.
    Quarter,
    /// By 180 degrees.
    Half,
    /// By 270 degrees.
    ThreeQuarters,
}

impl Turn {
    /// Every turn and its degrees, in the order they are listed to people.
    pub const DEGREES: [(i64, Turn); 4] =
        [(0, Turn::None), (90, Turn::Quarter), (180, Turn::Half), (270, Turn::ThreeQuarters)];

    /// The turn back.
    #[must_use]
    pub const fn back(self) -> Turn {
        match self {
            Turn::Quarter => Turn::ThreeQuarters,
            Turn::ThreeQuarters => Turn::Quarter,
            other => other,
        }
    }

    /// A place on the device as a place on the picture, in shares of either.
    pub fn apply(self, place: [f32; 2]) -> [f32; 2] {
        self.place(|axis| place[axis], |axis| 1.0 - place[axis])
    }

    /// A place on the picture, where the device says of an axis, x or y, how far it is from its
    /// near end (left or top) and from its far one, in shares.
    pub(crate) fn place(self, near: impl Fn(usize) -> f32, far: impl Fn(usize) -> f32) -> [f32; 2] {
        const X: usize = 0;
        const Y: usize = 1;
        match self {
            Turn::None => [near(X), near(Y)],
            Turn::Quarter => [far(Y), near(X)],
            Turn::Half => [far(X), far(Y)],
            Turn::ThreeQuarters => [near(Y), far(X)],
        }
    }

    /// The size of a device as that of the picture.
    pub const fn size(self, [width, height]: [f32; 2]) -> [f32; 2] {
        match self {
            Turn::None | Turn::Half => [width, height],
            Turn::Quarter | Turn::ThreeQuarters => [height, width],
        }
    }
}

/// What a rig says of its touch surfaces. Sizes are those of the picture, and
/// above 0.
///
/// ```
/// use gtrig_core::{Space, Surface, ViewWindow};
///
/// // A panel of 800 by 400 pixels, on which a square picture of 100 by 100 has bars at its sides.
/// let window = ViewWindow { at: [0.0, 0.0], size: [800.0, 400.0], view: [100.0, 100.0] };
/// let surface =
///     Surface { pixels: Some([800.0, 400.0]), window: Some(window), ..Surface::default() };
/// let to_panel = surface.to_panel(Space::View).unwrap();
/// assert_eq!(to_panel.place([0.0, 0.0]), [0.25, 0.0]);
/// assert!(surface.is_in_view([0.5, 0.5]) && !surface.is_in_view([0.1, 0.5]));
/// assert_eq!(surface.to_panel(Space::Mm), None, "nobody says how large it is");
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Surface {
    /// In pixels.
    pub pixels: Option<[f32; 2]>,
    /// In millimetres; without it the device is believed.
    pub mm: Option<[f32; 2]>,
    /// How the picture lies on the device.
    pub turn: Turn,
    /// The part that the game draws in; needs `pixels`.
    pub window: Option<ViewWindow>,
    /// What lies behind the view; needs `window`.
    pub camera: Option<Camera>,
}

/// A part of a panel that a game draws in.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ViewWindow {
    /// Its left and top on the panel, in pixels.
    pub at: [f32; 2],
    /// Its width and height, in pixels of the panel.
    pub size: [f32; 2],
    /// The width and height of the game's own picture, in its pixels.
    pub view: [f32; 2],
}

/// How the view shows the world.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Camera {
    /// The place of the world in the middle of the view.
    pub at: [f32; 2],
    /// Pixels of the view to a unit of the world; above 0.
    pub zoom: f32,
}

/// What the numbers of a zone are measured in.
///
/// | space | unit | origin |
/// |---|---|---|
/// | `panel` | the width, and the height, of the picture | its top left |
/// | `mm`, `px` | millimetre, pixel of the panel | its top left |
/// | `view` | pixel of the game's own picture | its top left |
/// | `world` | what the game scrolls | wherever the game has it |
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Space {
    /// Shares of the panel, 0 to 1.
    #[default]
    Panel,
    /// Millimetres of the panel.
    Mm,
    /// Pixels of the panel.
    Px,
    /// Pixels of the game's view.
    View,
    /// Units of the world: it moves when the camera does.
    World,
}

/// From which corner the numbers of a zone are measured: whether from the right,
/// and whether from the bottom.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Anchor {
    /// x is measured from the right edge, to the left.
    pub right: bool,
    /// y is measured from the bottom edge, upwards.
    pub bottom: bool,
}

impl Anchor {
    /// Every anchor and its word in rigs, in the order they are listed to people.
    pub const WORDS: [(&'static str, Anchor); 4] = [
        ("top-left", Anchor { right: false, bottom: false }),
        ("top-right", Anchor { right: true, bottom: false }),
        ("bottom-left", Anchor { right: false, bottom: true }),
        ("bottom-right", Anchor { right: true, bottom: true }),
    ];
}

/// A scale and an offset for each axis: `out = in * scale + offset`.
///
/// Composed once when a rig is bound; a place then costs two multiplications and two additions.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SpaceMap {
    /// What x and y are multiplied by, first.
    scale: [f32; 2],
    /// What is added to them, then.
    offset: [f32; 2],
}

impl SpaceMap {
    /// From a space to itself.
    const SAME: SpaceMap = SpaceMap { scale: [1.0; 2], offset: [0.0; 2] };

    /// A place.
    pub fn place(&self, place: [f32; 2]) -> [f32; 2] {
        [0, 1].map(|axis| place[axis] * self.scale[axis] + self.offset[axis])
    }

    /// A width and a height.
    pub fn size(&self, size: [f32; 2]) -> [f32; 2] {
        [0, 1].map(|axis| size[axis] * self.scale[axis].abs())
    }

    /// Goes back.
    ///
    /// Every space has a size above 0, so that there is one.
    pub fn inverse(&self) -> SpaceMap {
        let scale = self.scale.map(|scale| 1.0 / scale);
        SpaceMap { scale, offset: [0, 1].map(|axis| -self.offset[axis] * scale[axis]) }
    }

    /// This one, and then another one, as one.
    fn then(&self, next: &SpaceMap) -> SpaceMap {
        SpaceMap {
            scale: [0, 1].map(|axis| self.scale[axis] * next.scale[axis]),
            offset: next.place(self.offset),
        }
    }
}

impl Surface {
    /// From a space to shares of the panel; `None` where the rig does not say
    /// what the space is.
    ///
    /// The way back is the [inverse](SpaceMap::inverse) of it.
    pub fn to_panel(&self, space: Space) -> Option<SpaceMap> {
        let by = |size: [f32; 2]| SpaceMap { scale: size.map(|n| 1.0 / n), offset: [0.0; 2] };
        match space {
            Space::Panel => Some(SpaceMap::SAME),
            Space::Mm => self.mm.map(by),
            Space::Px => self.pixels.map(by),
            Space::View => Some(self.view_to_pixels()?.then(&by(self.pixels?))),
            Space::World => {
                let (Camera { at, zoom }, window) = (self.camera?, self.window?);
                let offset = [0, 1].map(|axis| window.view[axis] / 2.0 - at[axis] * zoom);
                let to_view = SpaceMap { scale: [zoom; 2], offset };
                Some(to_view.then(&self.to_panel(Space::View)?))
            }
        }
    }

    /// The same for numbers that are measured from a corner; `None` for the world
    /// too, which has none.
    pub fn from_corner(&self, space: Space, anchor: Anchor) -> Option<SpaceMap> {
        let to_panel = self.to_panel(space)?;
        if anchor == Anchor::default() {
            return Some(to_panel);
        }
        let size = match space {
            Space::Panel => [1.0; 2],
            Space::Mm => self.mm?,
            Space::Px => self.pixels?,
            Space::View => self.window?.view,
            Space::World => return None,
        };
        let axis = |is_far: bool, size: f32| if is_far { (-1.0, size) } else { (1.0, 0.0) };
        let [x, y] = [axis(anchor.right, size[0]), axis(anchor.bottom, size[1])];
        Some(SpaceMap { scale: [x.0, y.0], offset: [x.1, y.1] }.then(&to_panel))
    }

    /// The view is as large as fits into the window, in its middle.
    fn view_to_pixels(&self) -> Option<SpaceMap> {
        let ViewWindow { at, size, view } = self.window?;
        let scale = (size[0] / view[0]).min(size[1] / view[1]);
        let offset = [0, 1].map(|axis| at[axis] + (size[axis] - view[axis] * scale) / 2.0);
        Some(SpaceMap { scale: [scale; 2], offset })
    }

    /// Whether a place in shares of the panel lies on the game's picture; `true`
    /// where there is no window.
    pub fn is_in_view(&self, place: [f32; 2]) -> bool {
        let (Some(window), Some(map)) = (self.window, self.to_panel(Space::View)) else {
            return true;
        };
        let place = map.inverse().place(place);
        (0..2).all(|axis| (0.0..=window.view[axis]).contains(&place[axis]))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::Keyword;
    use proptest::prelude::*;
    use rstest::rstest;

    /// 1920 by 1080 pixels on 160 by 90 millimetres; a window of 1600 by 900 in
    /// which a view of 800 by 600 leaves bars at the sides.
    fn surface() -> Surface {
        Surface {
            pixels: Some([1920.0, 1080.0]),
            mm: Some([160.0, 90.0]),
            turn: Turn::None,
            window: Some(ViewWindow {
                at: [100.0, 80.0],
                size: [1600.0, 900.0],
                view: [800.0, 600.0],
            }),
            camera: Some(Camera { at: [50.0, 20.0], zoom: 10.0 }),
        }
    }

    #[rstest]
    #[case(Space::Panel, [0.5, 0.5])]
    #[case(Space::Mm, [80.0, 45.0])]
    #[case(Space::Px, [960.0, 540.0])]
    // Scaled 1.5 times, the view is 1200 wide, and its left edge at 300.
    #[case(Space::View, [440.0, (540.0 - 80.0) / 1.5])]
    #[case(Space::World, [54.0, 20.0 + (540.0 - 80.0) / 15.0 - 30.0])]
    fn the_middle_of_the_panel_in_every_space(#[case] space: Space, #[case] expected: [f32; 2]) {
        let place = surface().to_panel(space).unwrap().inverse().place([0.5, 0.5]);
        for axis in 0..2 {
            assert!((place[axis] - expected[axis]).abs() < 1e-3, "{place:?}");
        }
    }

    #[rstest]
    #[case(290.0, false)]
    #[case(310.0, true)]
    #[case(1490.0, true)]
    #[case(1510.0, false)]
    fn the_bars_are_no_part_of_the_view(#[case] x: f32, #[case] is_in: bool) {
        assert_eq!(surface().is_in_view([x / 1920.0, 0.5]), is_in);
    }

    #[rstest]
    #[case(Turn::None, [0.0, 0.0])]
    #[case(Turn::Quarter, [1.0, 0.0])]
    #[case(Turn::Half, [1.0, 1.0])]
    #[case(Turn::ThreeQuarters, [0.0, 1.0])]
    fn the_corner_of_the_device_on_the_picture(#[case] turn: Turn, #[case] corner: [f32; 2]) {
        assert_eq!(turn.apply([0.0, 0.0]), corner);
    }

    #[test]
    fn a_space_that_is_not_said_is_none() {
        let bare = Surface::default();
        let known: alloc::vec::Vec<Space> =
            Space::ALL.iter().copied().filter(|&space| bare.to_panel(space).is_some()).collect();
        assert_eq!(known, [Space::Panel]);
    }

    proptest! {
        /// There and back is where one was.
        #[test]
        fn every_space_leads_back(
            x in 0.0f32..1.0, y in 0.0f32..1.0, n in 0usize..5,
            cx in -200.0f32..200.0, cy in -200.0f32..200.0, zoom in 0.5f32..20.0,
        ) {
            let surface = Surface { camera: Some(Camera { at: [cx, cy], zoom }), ..surface() };
            let map = surface.to_panel(Space::ALL[n]).unwrap();
            let back = map.place(map.inverse().place([x, y]));
            prop_assert!((back[0] - x).abs() < 1e-3 && (back[1] - y).abs() < 1e-3, "{:?}", back);
        }
    }
}
