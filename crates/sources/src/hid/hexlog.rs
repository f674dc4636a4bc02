//! Reports in a file, as other tools write them down: times and bytes in hexadecimal
//! digits. `docs/hid.md` describes the format.

use super::{
    decode::Decoder,
    descriptor::{self, DescriptorFault, MAX_DESCRIPTOR},
    layout::{Identity, Layout},
};
use crate::Source;
use gtrig_analysis::Session;
use gtrig_core::{ControlId, DeviceMap, Event, LAST_TIME, MappedDevice, Marks, Nanos};

/// A log is no longer than this.
const MAX_BYTES: usize = 256 << 20;

/// What is wrong with a log.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum HexLogFault {
    /// It is longer than any log.
    #[error("a log of {0} bytes, where at most 256 MiB are read")]
    TooLong(usize),
    /// A line is none of a log.
    #[error("line {line}: {what}")]
    Line {
        /// Which one, from 1.
        line: usize,
        /// What is wrong with it.
        what: String,
    },
    /// It does not say what its reports are.
    #[error("there is no line `descriptor` with the report descriptor of the device")]
    NoDescriptor,
    /// The descriptor cannot be read.
    #[error("the descriptor: {0}")]
    Descriptor(#[from] DescriptorFault),
}

/// A log of the reports of one device.
#[derive(Debug)]
pub struct HexLog {
    decoder: Decoder,
    mapped: MappedDevice,
    /// The reports that were not handed over yet, the next one last.
    reports: Vec<Report>,
    controls: Vec<ControlId>,
    troubles: Vec<String>,
}

#[derive(Debug)]
struct Report {
    line: usize,
    time: Nanos,
    bytes: Vec<u8>,
}

impl HexLog {
    /// Reads a log; its device is seen through the best of some maps.
    ///
    /// # Errors
    /// At the first line that cannot be read, and when no line says what the reports are.
    pub fn parse(text: &str, maps: &[DeviceMap]) -> Result<Self, HexLogFault> {
        if text.len() > MAX_BYTES {
            return Err(HexLogFault::TooLong(text.len()));
        }
        let mut identity = Identity { name: "HID log".to_owned(), ..Identity::default() };
        let (mut bytes, mut reports) = (Vec::new(), Vec::new());
        for (text, line) in text.lines().zip(1..) {
            let fault = |what: String| HexLogFault::Line { line, what };
            let text = text.split('#').next().unwrap_or_default().trim();
            let (word, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
            match word {
                "" => {}
                "name" => rest.trim().clone_into(&mut identity.name),
                "id" => {
                    let ids = ids(rest.trim()).ok_or_else(|| {
                        fault("`id` has bus, vendor and product, such as 0003:6b71:0009".to_owned())
                    })?;
                    [identity.bus, identity.vendor, identity.product] = ids;
                }
                "descriptor" => {
                    bytes.extend(hex(rest).map_err(fault)?);
                    if bytes.len() > MAX_DESCRIPTOR {
                        return Err(DescriptorFault::Length(bytes.len()).into());
                    }
                }
                _ => {
                    let time = seconds(word).ok_or_else(|| {
                        fault("neither `name`, `id`, `descriptor` nor a time in seconds".to_owned())
                    })?;
                    let is_later = reports.last().is_none_or(|last: &Report| last.time <= time);
                    if !is_later {
                        return Err(fault(
                            "its time is before that of the report above".to_owned(),
                        ));
                    }
                    reports.push(Report { line, time, bytes: hex(rest).map_err(fault)? });
                }
            }
        }
        if bytes.is_empty() {
            return Err(HexLogFault::NoDescriptor);
        }
        let layout = Layout::new(&identity, &descriptor::parse(&bytes)?, maps);
        reports.reverse();
        Ok(HexLog::new(layout, reports, maps))
    }

    fn new(layout: Layout, reports: Vec<Report>, maps: &[DeviceMap]) -> Self {
        let mut troubles: Vec<String> =
            layout.left_out.iter().map(|what| format!("left out: {what}")).collect();
        let info = layout.info.clone();
        let (mapped, faults) = match DeviceMap::best(maps, &info) {
            Some(map) => map.apply(&info),
            None => (MappedDevice::plain(info), Vec::new()),
        };
        troubles.extend(faults.iter().map(|fault| format!("the map: {fault}")));
        let decoder = Decoder::new(layout);
        HexLog { decoder, mapped, reports, controls: Vec::new(), troubles }
    }

    /// When the last report came; nothing of a log without one, or once all were handed
    /// over.
    pub fn ends(&self) -> Option<Nanos> {
        self.reports.first().map(|report| report.time)
    }
}

impl Source for HexLog {
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        if self.controls.is_empty() {
            match session.plug(self.mapped.info.clone(), Nanos(0)) {
                Ok(device) => {
                    self.controls = session.roster().device(device).controls().collect();
                }
                Err(error) => {
                    self.troubles.push(error.to_string());
                    self.reports.clear();
                }
            }
        }
        let HexLog { decoder, mapped, controls, troubles, .. } = self;
        while let Some(Report { line, time, bytes }) =
            self.reports.pop_if(|report| report.time <= now)
        {
            let mut tell = |control, value| {
                let control = controls[usize::from(control)];
                session.report(Event { time, value, control, marks: Marks::empty() });
            };
            let told = decoder.report(&bytes, |control, value| {
                mapped.report(usize::from(control), value, &mut tell);
            });
            mapped.settle(tell);
            if let Err(fault) = told {
                troubles.push(format!("line {line}: left out: {fault}"));
            }
        }
    }

    fn troubles(&mut self) -> Vec<String> {
        std::mem::take(&mut self.troubles)
    }
}

/// `0003:6b71:0009`
fn ids(text: &str) -> Option<[u16; 3]> {
    let parts: Option<Vec<u16>> =
        text.split(':').map(|part| u16::from_str_radix(part, 16).ok()).collect();
    parts?.try_into().ok()
}

/// Bytes of two digits each, with or without spaces between.
fn hex(text: &str) -> Result<Vec<u8>, String> {
    let digits: String = text.split_whitespace().collect();
    let is_hex =
        digits.len().is_multiple_of(2) && digits.bytes().all(|byte| byte.is_ascii_hexdigit());
    if !is_hex || digits.is_empty() {
        return Err("bytes are two hexadecimal digits each".to_owned());
    }
    let byte = |at: usize| u8::from_str_radix(&digits[at..at + 2], 16).unwrap_or(0);
    Ok((0..digits.len()).step_by(2).map(byte).collect())
}

/// Seconds with up to nine places, exactly.
fn seconds(text: &str) -> Option<Nanos> {
    let (whole, part) = text.split_once('.').unwrap_or((text, ""));
    let is_number = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    if whole.is_empty() || !is_number(whole) || !is_number(part) || part.len() > 9 {
        return None;
    }
    let nanos: u64 = format!("{part:0<9}").parse().ok()?;
    let time = whole.parse::<u64>().ok()?.checked_mul(1_000_000_000)?.checked_add(nanos)?;
    Some(Nanos(time)).filter(|time| *time <= LAST_TIME)
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_analysis::Capacity;
    use gtrig_core::{PollRate, Rig, Tick};
    use rstest::rstest;

    #[test]
    fn a_log_that_is_too_large_is_refused() {
        let fault = HexLog::parse(&" ".repeat(MAX_BYTES + 1), &[]).unwrap_err();
        assert!(matches!(fault, HexLogFault::TooLong(_)));
    }

    const LOG: &str = "\
# a slider of eight bits
name Bench slider
id 0003:6b71:000a
descriptor 05 01 09 36 15 00 26 ff 00
descriptor 7508 9501 8102
0.000 10
0.004 40
0.004000001 41   # a nanosecond later
1.5 00 ff
2 
";

    #[rstest]
    #[case::number("0.5", Some(500_000_000))]
    #[case::whole("2", Some(2_000_000_000))]
    #[case::fine("0.000000001", Some(1))]
    #[case::finer("0.0000000001", None)]
    #[case::negative("-1", None)]
    #[case::too_late("99999999999", None)]
    #[case::words("1e3", None)]
    fn times_are_exact(#[case] text: &str, #[case] nanos: Option<u64>) {
        assert_eq!(seconds(text), nanos.map(Nanos));
    }

    #[test]
    fn a_log_feeds_a_session() {
        let text = LOG.trim_end().trim_end_matches('2');
        let mut log = HexLog::parse(text, &[]).unwrap();
        assert_eq!(log.ends(), Some(Nanos(1_500_000_000)));
        let rig = Rig::bare("t", PollRate::DEFAULT);
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        log.drain(&mut session, Nanos(2_000_000_000));
        session.run_until(Tick(100));
        let roster = session.roster();
        let told: Vec<(u64, String)> = session
            .seen_from(1)
            .filter(|event| roster.code(event.control) == "slider")
            .map(|event| (event.time.0, event.value.to_string()))
            .collect();
        let value = |time, value: &str| (time, value.to_owned());
        assert_eq!(
            told,
            [
                value(0, "16"),
                value(4_000_000, "64"),
                value(4_000_001, "65"),
                value(1_500_000_000, "0")
            ]
        );
        assert_eq!(roster.devices().next().unwrap().1.info.name.as_str(), "Bench slider");
    }

    #[rstest]
    #[case::no_bytes("descriptor 05 01\n2", "line 2: bytes are two hexadecimal digits")]
    #[case::half_a_byte("0.1 abc", "line 1: bytes are two hexadecimal digits")]
    #[case::word("hello 01", "line 1: neither `name`")]
    #[case::back("1.0 01\n0.5 01", "line 2: its time is before")]
    #[case::ids("id 1:2", "line 1: `id` has bus")]
    #[case::no_descriptor("0.1 01", "no line `descriptor`")]
    #[case::bad_descriptor("descriptor c0", "never began")]
    fn mistakes_have_their_line(#[case] text: &str, #[case] words: &str) {
        let error = HexLog::parse(text, &[]).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }

    #[test]
    fn a_report_that_is_none_is_left_out_and_said() {
        let text = "descriptor 05 01 09 30 75 10 95 01 81 02\n0.1 01\n0.2 0102\n";
        let mut log = HexLog::parse(text, &[]).unwrap();
        let rig = Rig::bare("t", PollRate::DEFAULT);
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        log.drain(&mut session, Nanos(1_000_000_000));
        assert_eq!(log.troubles().len(), 1);
    }
}
