//! A packet: a message, or a bundle of them.
//!
//! Bundles are taken apart here, with their depth bounded and every byte accounted for, and
//! the bytes of each message are read by `rosc`.

use rosc::{OscMessage, OscPacket, OscType};

/// Bundles in bundles are heard down to this depth; a message alone has 0.
pub const MAX_DEPTH: usize = 8;

const BUNDLE: &[u8] = b"#bundle\0";

/// When a message takes effect.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum When {
    /// At once.
    Now,
    /// At this instant: in the upper half seconds since the beginning of 1900, in the lower
    /// half shares of one.
    At(u64),
}

/// A message of a packet.
#[derive(Clone, Debug, PartialEq)]
pub struct Message {
    /// When it takes effect.
    pub when: When,
    /// What it says.
    pub says: OscMessage,
}

/// What a packet says.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Packet {
    /// Its messages in their order.
    pub messages: Vec<Message>,
    /// What is wrong with messages that were left out.
    pub faults: Vec<PacketFault>,
}

/// What is wrong with a packet, or with one of its messages.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PacketFault {
    /// It is neither a message nor a bundle.
    #[error("it begins neither with / nor with #bundle")]
    Neither,
    /// A length is wrong.
    #[error("it is cut off, or a length in it is wrong")]
    Lengths,
    /// Bundles are in each other too deeply.
    #[error("bundles are in each other more than {MAX_DEPTH} deep")]
    TooDeep,
    /// The bytes of a message are none.
    #[error("a message of it cannot be read: {0}")]
    BadMessage(String),
}

/// Reads a packet. A message that cannot be read is left out.
///
/// # Errors
/// When it is no packet, or one of its lengths is wrong: then nothing of it counts.
pub fn read_packet(bytes: &[u8]) -> Result<Packet, PacketFault> {
    let mut packet = Packet::default();
    element(bytes, When::Now, 0, &mut packet)?;
    Ok(packet)
}

fn element(bytes: &[u8], when: When, depth: usize, packet: &mut Packet) -> Result<(), PacketFault> {
    if !bytes.len().is_multiple_of(4) || bytes.is_empty() {
        return Err(PacketFault::Lengths);
    }
    if bytes[0] == b'/' {
        match message(bytes) {
            Ok(says) => packet.messages.push(Message { when, says }),
            Err(fault) => packet.faults.push(fault),
        }
        return Ok(());
    }
    let Some(rest) = bytes.strip_prefix(BUNDLE) else { return Err(PacketFault::Neither) };
    if depth == MAX_DEPTH {
        return Err(PacketFault::TooDeep);
    }
    let (tag, mut rest) = rest.split_first_chunk().ok_or(PacketFault::Lengths)?;
    // A bundle takes effect no earlier than the one that it is in.
    let when = match u64::from_be_bytes(*tag) {
        // 1 says at once; 0, which some libraries write, means no other time.
        0 | 1 => when,
        tag => when.max(When::At(tag)),
    };
    while !rest.is_empty() {
        let (length, after) = rest.split_first_chunk().ok_or(PacketFault::Lengths)?;
        let length = u32::from_be_bytes(*length) as usize;
        let (inner, after) = after.split_at_checked(length).ok_or(PacketFault::Lengths)?;
        element(inner, when, depth + 1, packet)?;
        rest = after;
    }
    Ok(())
}

fn message(bytes: &[u8]) -> Result<OscMessage, PacketFault> {
    let end = bytes.iter().position(|byte| *byte == 0).unwrap_or(bytes.len());
    let types = end / 4 * 4 + 4;
    // Old senders leave the types out where there are no arguments.
    if types == bytes.len() {
        let addr = String::from_utf8(bytes[..end].to_vec());
        let addr = addr.map_err(|error| PacketFault::BadMessage(error.to_string()))?;
        return Ok(OscMessage { addr, args: Vec::new() });
    }
    if bytes.get(types) != Some(&b',') {
        let why = "its arguments have no types, a string that begins with a comma";
        return Err(PacketFault::BadMessage(why.to_owned()));
    }
    match rosc::decoder::decode_udp(bytes) {
        Ok(([], OscPacket::Message(message))) => Ok(message),
        Ok(_) => Err(PacketFault::BadMessage("bytes follow that no type tells of".to_owned())),
        Err(error) => Err(PacketFault::BadMessage(error.to_string())),
    }
}

/// An argument as a number: true and an impulse are 1, false is 0. Texts, bytes, colours,
/// times and what holds others are none.
pub fn number(argument: &OscType) -> Option<f64> {
    match argument {
        OscType::Int(n) => Some(f64::from(*n)),
        OscType::Float(n) => Some(f64::from(*n)),
        OscType::Double(n) => Some(*n),
        OscType::Long(n) => Some(*n as f64),
        OscType::Bool(is_true) => Some(f64::from(*is_true)),
        OscType::Inf => Some(1.0),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rosc::{OscBundle, OscTime, encoder::encode};
    use rstest::rstest;

    fn says(addr: &str, n: i32) -> OscPacket {
        OscPacket::Message(OscMessage { addr: addr.to_owned(), args: vec![OscType::Int(n)] })
    }

    fn bundle(tag: u64, content: Vec<OscPacket>) -> OscPacket {
        let timetag = OscTime { seconds: (tag >> 32) as u32, fractional: tag as u32 };
        OscPacket::Bundle(OscBundle { timetag, content })
    }

    fn told(packet: &OscPacket) -> Vec<(String, When)> {
        let packet = read_packet(&encode(packet).unwrap()).unwrap();
        assert_eq!(packet.faults, []);
        packet.messages.into_iter().map(|of| (of.says.addr, of.when)).collect()
    }

    #[test]
    fn a_bundle_takes_effect_no_earlier_than_the_one_it_is_in() {
        let inner = |tag, name: &str| bundle(tag, vec![says(name, 1)]);
        let outer = bundle(
            7 << 32,
            vec![inner(1, "/at-once"), inner(5 << 32, "/earlier"), inner(9 << 32, "/later")],
        );
        let at = |n: u64| When::At(n << 32);
        let expected = [("/at-once", at(7)), ("/earlier", at(7)), ("/later", at(9))];
        assert_eq!(told(&outer), expected.map(|(name, when)| (name.to_owned(), when)));
        assert_eq!(told(&bundle(1, vec![says("/a", 1)])), [("/a".to_owned(), When::Now)]);
        assert_eq!(told(&bundle(0, vec![says("/a", 1)])), [("/a".to_owned(), When::Now)]);
        assert_eq!(told(&bundle(1, vec![])), []);
    }

    #[test]
    fn bundles_are_in_each_other_so_deep() {
        let deep = |depth: usize| (0..depth).fold(says("/a", 1), |inner, _| bundle(1, vec![inner]));
        assert_eq!(told(&deep(MAX_DEPTH)).len(), 1);
        let deeper = encode(&deep(MAX_DEPTH + 1)).unwrap();
        assert_eq!(read_packet(&deeper), Err(PacketFault::TooDeep));
        // As deep as a packet can be.
        let mut bytes = Vec::new();
        for left in (0..3200u32).rev() {
            bytes.extend_from_slice(b"#bundle\0\0\0\0\0\0\0\0\x01");
            bytes.extend(left.checked_mul(20).unwrap().to_be_bytes());
        }
        assert_eq!(read_packet(&bytes), Err(PacketFault::TooDeep));
    }

    /// One message that nobody can read takes no other along.
    #[test]
    fn a_message_of_an_unknown_type_is_left_out() {
        let mut bytes = encode(&bundle(1, vec![says("/a", 1), says("/b", 2)])).unwrap();
        let at = bytes.windows(2).position(|two| two == b",i").unwrap();
        bytes[at + 1] = b'Q';
        let packet = read_packet(&bytes).unwrap();
        let names: Vec<&str> = packet.messages.iter().map(|of| &*of.says.addr).collect();
        assert_eq!((names, packet.faults.len()), (vec!["/b"], 1));
    }

    #[rstest]
    #[case::nothing(b"", PacketFault::Lengths)]
    #[case::no_message(b"abc\0", PacketFault::Neither)]
    #[case::half_a_word(b"/a\0\0,\0\0", PacketFault::Lengths)]
    #[case::no_time(b"#bundle\0\0\0\0\0", PacketFault::Lengths)]
    #[case::more_than_there_is(
        b"#bundle\0\0\0\0\0\0\0\0\x01\0\0\0\x08/a\0\0",
        PacketFault::Lengths
    )]
    #[case::an_empty_element(b"#bundle\0\0\0\0\0\0\0\0\x01\0\0\0\0", PacketFault::Lengths)]
    fn what_is_no_packet_is_refused(#[case] bytes: &[u8], #[case] fault: PacketFault) {
        assert_eq!(read_packet(bytes), Err(fault));
    }

    #[rstest]
    #[case::no_types(b"/abc\0\0\0\0", 0, 0)]
    #[case::no_types_and_no_room(b"/ab\0", 0, 0)]
    #[case::no_arguments(b"/ab\0,\0\0\0", 0, 0)]
    #[case::all_that_has_no_bytes(b"/ab\0,TFNI\0\0\0", 4, 0)]
    #[case::too_few_bytes(b"/ab\0,ii\0\0\0\0\x01", 0, 1)]
    #[case::too_many(b"/ab\0,i\0\0\0\0\0\x01\0\0\0\x02", 0, 1)]
    #[case::arguments_without_types(b"/ab\0\x3f\0\0\0", 0, 1)]
    #[case::no_text(b"/a\xff\0,\0\0\0", 0, 1)]
    fn a_message_is_read_or_left_out(
        #[case] bytes: &[u8],
        #[case] arguments: usize,
        #[case] faults: usize,
    ) {
        let packet = read_packet(bytes).unwrap();
        let read: usize = packet.messages.iter().map(|of| of.says.args.len()).sum();
        assert_eq!((read, packet.faults.len()), (arguments, faults), "{packet:?}");
        assert_eq!(packet.messages.len() + packet.faults.len(), 1);
    }

    #[test]
    fn some_arguments_are_numbers() {
        let numbers = [
            (OscType::Int(-3), Some(-3.0)),
            (OscType::Long(1 << 40), Some((1u64 << 40) as f64)),
            (OscType::Float(0.5), Some(0.5)),
            (OscType::Double(-0.25), Some(-0.25)),
            (OscType::Bool(true), Some(1.0)),
            (OscType::Bool(false), Some(0.0)),
            (OscType::Inf, Some(1.0)),
            (OscType::Nil, None),
            (OscType::String("1".to_owned()), None),
        ];
        for (argument, expected) in numbers {
            assert_eq!(number(&argument), expected, "{argument:?}");
        }
    }

    proptest! {
        /// Whatever is put into bundles comes out in its order.
        #[test]
        fn nothing_is_lost(sizes in proptest::collection::vec(0..5usize, 0..6), tag in 2..u64::MAX) {
            let mut n = 0;
            let mut next = || { n += 1; says("/a", n) };
            let content = sizes.iter().map(|size| bundle(1, (0..*size).map(|_| next()).collect()));
            let packet = read_packet(&encode(&bundle(tag, content.collect())).unwrap()).unwrap();
            let read: Vec<_> = packet.messages.iter().map(|of| of.says.args[0].clone()).collect();
            let expected: Vec<_> = (1..=sizes.iter().sum::<usize>() as i32).map(OscType::Int).collect();
            prop_assert_eq!(read, expected);
            prop_assert!(packet.messages.iter().all(|of| of.when == When::At(tag)));
        }

        #[test]
        fn any_bytes_are_read_to_an_end(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
            let _ = read_packet(&bytes);
            let _ = read_packet(&[BUNDLE, &bytes].concat());
            let _ = read_packet(&[b"/a\0\0,", &bytes[..]].concat());
        }
    }
}
