//! Fingers as TUIO 1.1 tells of them: 2-D cursors.
//!
//! A frame is a few messages: `alive` with the numbers of all fingers, `set` with a place for
//! each that moved, and `fseq` with the number of the frame, by which it takes effect.

use super::packet::number;
use gtrig_core::{ADDRESSED_UNITS, ControlInfo, ControlKind};
use rosc::{OscMessage, OscType};

/// So many fingers of a tracker are heard at once.
pub const FINGERS: usize = 16;

/// A frame has no more numbers and places than this.
const MAX_IN_FRAME: usize = 256;

/// A frame whose number is lower by less than this came late; by more, the tracker began
/// anew.
const OUT_OF_ORDER: i64 = 100;

/// The controls of a tracker: for each finger whether it touches, and where in millionths
/// of the panel.
pub fn finger_controls() -> Vec<ControlInfo> {
    let finger = |n: usize| {
        let place = ControlKind::Position { min: 0, max: ADDRESSED_UNITS };
        [("", ControlKind::Button), ("-x", place), ("-y", place)]
            .map(|(of, kind)| ControlInfo::new(&format!("contact-{n}{of}"), kind))
    };
    (1..=FINGERS).flat_map(finger).collect()
}

/// What is wrong with a message about fingers: it is left out.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum CursorFault {
    /// It begins with none of the words.
    #[error("a message about fingers says source, alive, set or fseq first")]
    NoWord,
    /// Its arguments are others.
    #[error("`{0}` has other arguments: alive has numbers, set a number and x y, fseq a number")]
    Arguments(&'static str),
    /// There are more than anybody has.
    #[error("a frame has more than {MAX_IN_FRAME} fingers")]
    TooMany,
}

/// What a frame told.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Frame {
    /// Controls of [`finger_controls`] by their places, and what they report now, in the
    /// order in which it is told: fingers that went, then places before their touches.
    pub changes: Vec<(u16, i32)>,
    /// So many fingers found no room.
    pub left_out: usize,
    /// It was older than one before, and does not count.
    pub is_late: bool,
}

/// The fingers of a tracker.
#[derive(Clone, Debug, Default)]
pub struct CursorReader {
    /// For each contact the number of its finger, and its place.
    fingers: [Option<(i32, [i32; 2])>; FINGERS],
    alive: Option<Vec<i32>>,
    sets: Vec<(i32, [i32; 2])>,
    last: Option<i32>,
}

impl CursorReader {
    /// Takes in a message; one with `fseq` ends a frame.
    ///
    /// # Errors
    /// When the message is not about fingers.
    pub fn hear(&mut self, message: &OscMessage) -> Result<Option<Frame>, CursorFault> {
        let [OscType::String(word), rest @ ..] = &message.args[..] else {
            return Err(CursorFault::NoWord);
        };
        match (word.as_str(), rest) {
            // Whose it is its reader's owner knows.
            ("source", _) => {}
            ("alive", numbers) => {
                let numbers: Option<Vec<i32>> = numbers.iter().map(whole).collect();
                let numbers = numbers.ok_or(CursorFault::Arguments("alive"))?;
                if numbers.len() > MAX_IN_FRAME {
                    return Err(CursorFault::TooMany);
                }
                self.alive = Some(numbers);
            }
            ("set", [id, x, y, ..]) => {
                let place = (whole(id), share(x), share(y));
                let (Some(id), Some(x), Some(y)) = place else {
                    return Err(CursorFault::Arguments("set"));
                };
                if self.sets.len() == MAX_IN_FRAME {
                    return Err(CursorFault::TooMany);
                }
                self.sets.push((id, [x, y]));
            }
            ("set", _) => return Err(CursorFault::Arguments("set")),
            ("fseq", [frame, ..]) => {
                let frame = whole(frame).ok_or(CursorFault::Arguments("fseq"))?;
                return Ok(Some(self.frame(frame)));
            }
            ("fseq", []) => return Err(CursorFault::Arguments("fseq")),
            _ => return Err(CursorFault::NoWord),
        }
        Ok(None)
    }

    /// How every contact is, to be said again where something was lost on the way on.
    pub fn all(&self) -> Vec<(u16, i32)> {
        let contacts = (0..).step_by(3).zip(&self.fingers);
        let all = contacts.flat_map(|(first, finger)| match *finger {
            Some((_, [x, y])) => vec![(first + 1, x), (first + 2, y), (first, 1)],
            None => vec![(first, 0)],
        });
        all.collect()
    }

    /// Ends a frame. One with the number -1 says again how everything is.
    fn frame(&mut self, number: i32) -> Frame {
        let alive = self.alive.take();
        let sets = std::mem::take(&mut self.sets);
        if number != -1 {
            let behind = self.last.map_or(0, |last| i64::from(last) - i64::from(number));
            if (1..OUT_OF_ORDER).contains(&behind) {
                return Frame { is_late: true, ..Frame::default() };
            }
            self.last = Some(number);
        }
        let mut told = Frame::default();
        let mut freed = [false; FINGERS];
        if let Some(alive) = &alive {
            for (at, finger) in self.fingers.iter_mut().enumerate() {
                if finger.take_if(|(id, _)| !alive.contains(id)).is_some() {
                    told.changes.push((3 * at as u16, 0));
                    freed[at] = true;
                }
            }
        }
        for (id, place) in sets {
            if alive.as_ref().is_none_or(|alive| alive.contains(&id)) {
                self.set(id, place, &freed, &mut told);
            }
        }
        told
    }

    /// A finger is somewhere. One that is new takes the first contact that is free; one that
    /// became free in this frame only where there is no other.
    fn set(&mut self, id: i32, place: [i32; 2], freed: &[bool; FINGERS], told: &mut Frame) {
        let known = self.fingers.iter().position(|of| of.is_some_and(|(known, _)| known == id));
        let free = |may_be_freed: bool| {
            let is_free = |at: &usize| self.fingers[*at].is_none() && freed[*at] == may_be_freed;
            (0..FINGERS).find(is_free)
        };
        let Some(at) = known.or_else(|| free(false)).or_else(|| free(true)) else {
            told.left_out += 1;
            return;
        };
        let before = self.fingers[at].replace((id, place));
        let first = 3 * at as u16;
        for (axis, value) in (1..).zip(place) {
            let is_new = before.is_none_or(|(_, before)| before[axis as usize - 1] != value);
            if is_new {
                told.changes.push((first + axis, value));
            }
        }
        if before.is_none() {
            told.changes.push((first, 1));
        }
    }
}

fn whole(argument: &OscType) -> Option<i32> {
    match argument {
        OscType::Int(n) => Some(*n),
        OscType::Long(n) => i32::try_from(*n).ok(),
        _ => None,
    }
}

/// A share of the panel in millionths; beyond its edge it is at the edge.
fn share(argument: &OscType) -> Option<i32> {
    let share = number(argument).filter(|share| share.is_finite())?;
    Some((share.clamp(0.0, 1.0) * f64::from(ADDRESSED_UNITS)).round() as i32)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn says(args: &[OscType]) -> OscMessage {
        OscMessage { addr: super::super::CURSORS.to_owned(), args: args.to_vec() }
    }

    fn word(text: &str) -> OscType {
        OscType::String(text.to_owned())
    }

    /// A whole frame: who is there, and who is where.
    fn frame(
        reader: &mut CursorReader,
        number: i32,
        alive: &[i32],
        sets: &[(i32, f32, f32)],
    ) -> Frame {
        let ids = alive.iter().map(|id| OscType::Int(*id));
        let alive: Vec<_> = [word("alive")].into_iter().chain(ids).collect();
        assert_eq!(reader.hear(&says(&alive)), Ok(None));
        for (id, x, y) in sets {
            let rest = [0.0; 3].map(OscType::Float);
            let place = [word("set"), OscType::Int(*id), OscType::Float(*x), OscType::Float(*y)];
            assert_eq!(reader.hear(&says(&[&place[..], &rest[..]].concat())), Ok(None));
        }
        reader.hear(&says(&[word("fseq"), OscType::Int(number)])).unwrap().unwrap()
    }

    #[test]
    fn fingers_land_move_and_go() {
        let reader = &mut CursorReader::default();
        let landed = frame(reader, 1, &[7, 9], &[(7, 0.25, 0.5), (9, 1.5, -1.0)]);
        let of_seven = [(1, 250_000), (2, 500_000), (0, 1)];
        let of_nine = [(4, 1_000_000), (5, 0), (3, 1)];
        assert_eq!(landed.changes, [of_seven, of_nine].concat());
        assert_eq!(frame(reader, 2, &[7, 9], &[(7, 0.25, 0.75)]).changes, [(2, 750_000)]);
        // One goes while another lands: it does not take over what became free just now.
        let swapped = frame(reader, 3, &[9, 12], &[(12, 0.0, 0.0)]);
        assert_eq!(swapped.changes, [(0, 0), (7, 0), (8, 0), (6, 1)]);
        assert_eq!(frame(reader, 4, &[], &[]).changes, [(3, 0), (6, 0)]);
        assert_eq!(frame(reader, 5, &[13], &[(13, 0.0, 0.0)]).changes, [(1, 0), (2, 0), (0, 1)]);
    }

    /// A finger of which no place is known yet touches nothing, and one that is not there
    /// has no place.
    #[test]
    fn a_finger_lands_with_its_place() {
        let reader = &mut CursorReader::default();
        assert_eq!(frame(reader, 1, &[7], &[]).changes, []);
        assert_eq!(frame(reader, 2, &[7], &[(7, 0.0, 0.0), (8, 0.5, 0.5)]).changes.len(), 3);
        // A frame without `alive` leaves everyone there.
        let place = [word("set"), OscType::Int(7), OscType::Float(1.0), OscType::Float(0.0)];
        reader.hear(&says(&place)).unwrap();
        let told = reader.hear(&says(&[word("fseq"), OscType::Int(3)])).unwrap().unwrap();
        assert_eq!(told.changes, [(1, 1_000_000)]);
    }

    #[test]
    fn all_can_be_said_again() {
        let reader = &mut CursorReader::default();
        frame(reader, 1, &[7, 9], &[(7, 0.25, 0.5), (9, 1.0, 0.0)]);
        frame(reader, 2, &[9], &[]);
        let all = reader.all();
        assert_eq!(all[..4], [(0, 0), (4, 1_000_000), (5, 0), (3, 1)]);
        assert_eq!(all.len(), FINGERS + 2);
    }

    #[rstest]
    #[case::the_next(11, false)]
    #[case::the_same_again(10, false)]
    #[case::one_before(9, true)]
    #[case::just_late(-89, true)]
    #[case::anew(-90, false)]
    #[case::said_again(-1, false)]
    #[case::far_ahead(i32::MAX, false)]
    #[case::far_behind(i32::MIN, false)]
    fn a_frame_that_is_late_does_not_count(#[case] number: i32, #[case] is_late: bool) {
        let reader = &mut CursorReader::default();
        frame(reader, 10, &[7], &[(7, 0.0, 0.0)]);
        let told = frame(reader, number, &[], &[]);
        assert_eq!((told.is_late, told.changes.len()), (is_late, usize::from(!is_late)));
    }

    #[test]
    fn so_many_fingers_are_heard() {
        let reader = &mut CursorReader::default();
        let ids: Vec<i32> = (0..FINGERS as i32 + 2).collect();
        let sets: Vec<_> = ids.iter().map(|id| (*id, 0.5, 0.5)).collect();
        let told = frame(reader, 1, &ids, &sets);
        assert_eq!((told.changes.len(), told.left_out), (3 * FINGERS, 2));
        // Where all have become free just now, there is no other.
        let sets: Vec<_> = ids.iter().map(|id| (100 + id, 0.5, 0.5)).collect();
        let others: Vec<i32> = ids.iter().map(|id| 100 + id).collect();
        assert_eq!(frame(reader, 2, &others, &sets).left_out, 2);
    }

    #[rstest]
    #[case::nothing(&[], CursorFault::NoWord)]
    #[case::a_number_first(&[OscType::Int(1)], CursorFault::NoWord)]
    #[case::another_word(&[word("jump")], CursorFault::NoWord)]
    #[case::no_number(&[word("alive"), OscType::Float(1.0)], CursorFault::Arguments("alive"))]
    #[case::no_place(&[word("set"), OscType::Int(1), OscType::Float(0.5)], CursorFault::Arguments("set"))]
    #[case::nowhere(
        &[word("set"), OscType::Int(1), OscType::Float(f32::NAN), OscType::Float(0.0)],
        CursorFault::Arguments("set")
    )]
    #[case::no_frame(&[word("fseq")], CursorFault::Arguments("fseq"))]
    fn another_message_is_left_out(#[case] args: &[OscType], #[case] fault: CursorFault) {
        let reader = &mut CursorReader::default();
        assert_eq!(reader.hear(&says(args)), Err(fault));
        let ids = vec![OscType::Int(1); MAX_IN_FRAME + 1];
        let crowd = [&[word("alive")][..], &ids].concat();
        assert_eq!(reader.hear(&says(&crowd)), Err(CursorFault::TooMany));
        assert_eq!(frame(reader, 1, &[7], &[(7, 0.0, 0.0)]).changes.len(), 3);
    }
}
