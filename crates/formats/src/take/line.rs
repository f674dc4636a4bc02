//! The lines of a take, as serde sees them. The order of the fields is the
//! order of the keys in the file.

use super::fault::{ControlFault, Fault};
#[cfg(feature = "reel")]
use super::value_line::{ValueLine, names};
use gtrig_core::{
    AxisInfo, CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Keyword, Marks,
    ReportBits,
};
use serde::{Deserialize, Serialize};
use std::{borrow::Cow, collections::BTreeMap};

/// A text that borrows from the line where it has no escapes.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Deserialize, Serialize)]
#[serde(transparent)]
pub(crate) struct Text<'a>(#[serde(borrow)] pub(crate) Cow<'a, str>);

impl<'a> From<&'a str> for Text<'a> {
    fn from(text: &'a str) -> Self {
        Text(Cow::Borrowed(text))
    }
}

/// The first line.
#[derive(Debug, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct HeaderLine<'a> {
    pub(crate) take: u32,
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub(crate) title: Option<Text<'a>>,
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub(crate) rig: Option<Text<'a>>,
    #[serde(default, skip_serializing_if = "is_zero")]
    pub(crate) begins: u64,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_zero(n: &u64) -> bool {
    *n == 0
}

/// Any other line: `t`, and the keys of exactly one sort of line. One flat
/// type, because telling the sorts apart by trial would read each line twice.
#[derive(Debug, Default, Deserialize, Serialize)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct Line<'a> {
    pub(crate) t: Option<u64>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) on: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) c: Option<Text<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) v: Option<i32>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) mark: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) plug: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) kind: Option<Text<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) slot: Option<u8>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) name: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) identity: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) bus: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) controls: Option<Vec<ControlEntry<'a>>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) unplug: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) deaf: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) heard: Option<Text<'a>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) label: Option<Text<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) ends: Option<True>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) frame: Option<u64>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) game: Option<Text<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) polled: Option<Polled>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) steps: Option<u16>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) read: Option<BTreeMap<Text<'a>, BTreeMap<Text<'a>, Values>>>,
    #[serde(borrow, skip_serializing_if = "Option::is_none")]
    pub(crate) gives: Option<BTreeMap<Text<'a>, f64>>,
    /// Only while it happens: the number of the line.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) n: Option<u64>,
    /// Only while it happens: the number of a question about the clock.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) sync: Option<u64>,
}

/// When a line is about what, for who sorts lines without reading them.
#[cfg(feature = "reel")]
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct LineOf<'a> {
    /// Its instant; of a header that at which the take begins.
    pub(crate) time: u64,
    /// The device that it is about, if it is about one.
    pub(crate) device: Option<Cow<'a, str>>,
}

#[cfg(feature = "reel")]
impl<'a> LineOf<'a> {
    /// Of the line of a take, good or bad; what it does not say is 0, or nothing.
    pub(crate) fn read(line: &'a [u8]) -> Self {
        let value = ValueLine::of(line).and_then(|line| Some((line.t, names(line.value.named)?)));
        if let Some((time, [device, _])) = value {
            return LineOf { time, device: Some(Cow::Borrowed(device)) };
        }
        if let Ok(line) = serde_json::from_slice::<Line>(line) {
            let Line { t, on, plug, unplug, deaf, heard, .. } = line;
            let device = on.or(plug).or(unplug).or(deaf).or(heard);
            return LineOf { time: t.unwrap_or_default(), device: device.map(|id| id.0) };
        }
        let header = serde_json::from_slice::<HeaderLine>(line);
        LineOf { time: header.map_or(0, |header| header.begins), device: None }
    }
}

/// When a frame polled: once, or first and last.
pub(crate) type Polled = OneOrTwo<u64>;

/// What a frame read of a control: at each of its polls, or at the first and the last.
pub(crate) type Values = OneOrTwo<i32>;

/// One value that holds for both, or two.
#[derive(Clone, Copy, Debug, Deserialize, Serialize)]
#[serde(untagged)]
pub(crate) enum OneOrTwo<T> {
    One(T),
    Two([T; 2]),
}

impl<T: Copy + PartialEq> OneOrTwo<T> {
    pub(crate) fn both(self) -> [T; 2] {
        match self {
            OneOrTwo::One(one) => [one; 2],
            OneOrTwo::Two(two) => two,
        }
    }

    pub(super) fn of([first, last]: [T; 2]) -> Self {
        if first == last { OneOrTwo::One(first) } else { OneOrTwo::Two([first, last]) }
    }
}

/// The value of a key that says what it says by being there.
#[derive(Clone, Copy, Debug, Deserialize, Serialize)]
#[serde(try_from = "bool", into = "bool")]
pub(crate) struct True;

impl TryFrom<bool> for True {
    type Error = &'static str;

    fn try_from(is_so: bool) -> Result<Self, Self::Error> {
        is_so.then_some(True).ok_or("`ends` is `true`, or is not there")
    }
}

impl From<True> for bool {
    fn from(True: True) -> Self {
        true
    }
}

/// One control of a plugged device.
#[derive(Debug, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct ControlEntry<'a> {
    #[serde(borrow)]
    code: Text<'a>,
    #[serde(borrow)]
    kind: Text<'a>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    min: Option<i32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    centre: Option<i32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    max: Option<i32>,
    #[serde(default, skip_serializing_if = "is_nought")]
    resolution: i32,
    #[serde(default, skip_serializing_if = "is_nought")]
    flat: i32,
    #[serde(default, skip_serializing_if = "is_nought")]
    fuzz: i32,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    report: Option<u8>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    bit: Option<u32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    width: Option<u8>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_nought(n: &i32) -> bool {
    *n == 0
}

impl<'a> ControlEntry<'a> {
    pub(crate) fn new(info: &'a ControlInfo) -> Self {
        let (kind, centre) = match info.kind {
            ControlKind::Button => ("button", None),
            ControlKind::Axis { centre, .. } => ("axis", Some(centre)),
            ControlKind::Trigger { .. } => ("trigger", None),
            ControlKind::Position { .. } => ("position", None),
            ControlKind::Relative => ("relative", None),
        };
        let range = info.kind.ends().filter(|_| !info.kind.is_button());
        ControlEntry {
            code: info.code.as_str().into(),
            kind: kind.into(),
            min: range.map(|(min, _)| min),
            centre,
            max: range.map(|(_, max)| max),
            resolution: info.grain.resolution,
            flat: info.grain.flat,
            fuzz: info.grain.fuzz,
            report: info.bits.map(|bits| bits.report),
            bit: info.bits.map(|bits| bits.first),
            width: info.bits.map(|bits| bits.width),
        }
    }

    pub(crate) fn read(&self) -> Result<ControlInfo, Fault> {
        let code = &*self.code.0;
        if !ControlInfo::is_code(code) {
            return Err(Fault::BadCode(code.to_owned()));
        }
        let kind = self.kind().map_err(|fault| Fault::Control { code: code.to_owned(), fault })?;
        let Self { resolution, flat, fuzz, .. } = *self;
        let grain = AxisInfo { resolution, flat, fuzz };
        let bits = match (self.report, self.bit, self.width) {
            (None, None, None) => None,
            (Some(report), Some(first), Some(width @ 1..=32)) => {
                Some(ReportBits { report, first, width })
            }
            _ => {
                let fault = ControlFault::NoBits;
                return Err(Fault::Control { code: code.to_owned(), fault });
            }
        };
        Ok(ControlInfo { code: code.to_owned(), kind, grain, bits })
    }

    fn kind(&self) -> Result<ControlKind, ControlFault> {
        let needs = |value: Option<i32>, key| value.ok_or(ControlFault::Missing(key));
        let range = || Ok((needs(self.min, "min")?, needs(self.max, "max")?));
        Ok(match &*self.kind.0 {
            "button" => ControlKind::Button,
            "relative" => ControlKind::Relative,
            "trigger" => range().map(|(min, max)| ControlKind::Trigger { min, max })?,
            "position" => match range()? {
                (min, max) if min > max => return Err(ControlFault::Inverted { min, max }),
                (min, max) => ControlKind::Position { min, max },
            },
            "axis" => {
                let ((min, max), centre) = (range()?, needs(self.centre, "centre")?);
                if !(min.min(max)..=min.max(max)).contains(&centre) {
                    return Err(ControlFault::CentreOutside { centre, min, max });
                }
                ControlKind::Axis { min, centre, max }
            }
            other => return Err(ControlFault::UnknownKind(other.to_owned())),
        })
    }
}

impl Line<'_> {
    /// How many sorts of line it claims to be; a good line is one.
    pub(crate) fn sorts(&self) -> usize {
        [&self.on, &self.plug, &self.unplug, &self.deaf, &self.heard, &self.label]
            .into_iter()
            .filter(|key| key.is_some())
            .count()
            + usize::from(self.ends.is_some())
            + usize::from(self.frame.is_some())
            + usize::from(self.sync.is_some())
    }

    /// When a frame polled first and last; when it acted, where it does not say.
    pub(crate) fn frame_times(&self) -> Result<[u64; 2], Fault> {
        let acted = self.t.unwrap_or(u64::MAX);
        let polled = self.polled.map_or([acted; 2], OneOrTwo::both);
        let is_good = polled[0] <= polled[1] && polled[1] <= acted;
        is_good.then_some(polled).ok_or(Fault::FrameTimes)
    }

    /// The device that a `plug` line describes.
    pub(crate) fn device(&self, id: &str) -> Result<DeviceInfo, Fault> {
        let kinds = DeviceKind::ALL.iter().map(|kind| kind.word()).collect::<Vec<_>>().join(", ");
        let word = self.kind.as_ref().map_or("", |kind| &*kind.0);
        let kind = DeviceKind::from_word(word)
            .ok_or_else(|| Fault::UnknownDeviceKind { word: word.to_owned(), known: kinds })?;
        let entries = self.controls.as_ref().ok_or(Fault::NoControls)?;
        let controls: Vec<ControlInfo> =
            entries.iter().map(ControlEntry::read).collect::<Result<_, _>>()?;
        let mut codes: Vec<&str> = controls.iter().map(|c| c.code.as_str()).collect();
        codes.sort_unstable();
        if let Some(twice) = codes.windows(2).find(|pair| pair[0] == pair[1]) {
            return Err(Fault::ControlTwice(twice[0].to_owned()));
        }
        let text = |text: &Option<Text>| text.as_ref().map(|t| t.0.to_string());
        Ok(DeviceInfo {
            identity: text(&self.identity).unwrap_or_else(|| id.to_owned()),
            kind,
            name: CleanText::new(&text(&self.name).unwrap_or_else(|| id.to_owned())),
            bus: CleanText::new(&text(&self.bus).unwrap_or_default()),
            slot: self.slot,
            controls,
        })
    }
}

/// Reads `"inferred"` or `"inferred+late"`.
pub(crate) fn marks(text: &str) -> Result<Marks, Fault> {
    text.split('+').try_fold(Marks::empty(), |sum, word| {
        match Marks::WORDS.iter().find(|(_, known)| *known == word) {
            Some((mark, _)) => Ok(sum | *mark),
            None => Err(Fault::UnknownMark {
                word: word.to_owned(),
                known: Marks::WORDS.map(|(_, word)| word).join(", "),
            }),
        }
    })
}

/// Writes marks as [`marks`] reads them; `None` when there are none.
pub(crate) fn marks_text(marks: Marks) -> Option<Text<'static>> {
    let words = |(mark, word): &(Marks, &'static str)| marks.contains(*mark).then_some(*word);
    let words: Vec<&str> = Marks::WORDS.iter().filter_map(words).collect();
    match words[..] {
        [] => None,
        [word] => Some(word.into()),
        _ => Some(Text(Cow::Owned(words.join("+")))),
    }
}
