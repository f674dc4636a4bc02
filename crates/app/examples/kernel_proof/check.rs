//! What the take must have.

use anyhow::{Context, ensure};
use serde::Deserialize;
use std::{
    collections::BTreeMap,
    fs::{self},
    path::Path,
};

use crate::made::*;

/// One line of a take, as far as the check needs it.
#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Line {
    t: u64,
    plug: Option<String>,
    name: Option<String>,
    kind: Option<String>,
    unplug: Option<String>,
    deaf: Option<String>,
    heard: Option<String>,
    on: Option<String>,
    c: Option<String>,
    v: i32,
    mark: Option<String>,
}

/// What a take says of one control of one device.
type Values = BTreeMap<(String, String), Vec<(u64, i32, String)>>;

/// Compares a take with what was sent.
pub fn check(sent: &Path, take: &Path) -> anyhow::Result<()> {
    let sent: Vec<Sent> = serde_json::from_slice(&fs::read(sent)?)?;
    println!("{} values were sent", sent.len());
    let text = fs::read_to_string(take)?;
    let lines: Vec<Line> = text
        .lines()
        .skip(1)
        .map(|line| serde_json::from_str(line).with_context(|| line.to_owned()))
        .collect::<Result<_, _>>()?;
    let values = values(&lines);
    let count = compare(&sent, &values)?;
    println!("{count} values recorded as sent");
    times(&sent, &values)?;
    repeats(&values)?;
    unplugging(&lines)?;
    replaced_node(&lines)?;
    overrun(&values)?;
    ghosts(&lines)?;
    busy(&lines, &values)?;
    fingers(&values)?;
    deaf(&lines, &values)?;
    without_driver(&lines, &values)?;
    Ok(())
}

fn values(lines: &[Line]) -> Values {
    let mut names = BTreeMap::new();
    let mut values = Values::new();
    for line in lines {
        if let (Some(id), Some(name)) = (&line.plug, &line.name) {
            names.insert(id.clone(), name.clone());
        }
        if let (Some(id), Some(c)) = (&line.on, &line.c) {
            let key = (names[id].clone(), c.clone());
            let mark = line.mark.clone().unwrap_or_default();
            values.entry(key).or_default().push((line.t, line.v, mark));
        }
    }
    values
}

/// Every control has the values that were sent, in order, and no other.
fn compare(sent: &[Sent], values: &Values) -> anyhow::Result<usize> {
    let mut expected: BTreeMap<(String, String), Vec<i32>> = BTreeMap::new();
    for one in sent {
        expected.entry((one.device.clone(), one.c.clone())).or_default().push(one.v);
    }
    for (key, expected) in &expected {
        let recorded = values.get(key).map(Vec::as_slice).unwrap_or_default();
        let recorded = recorded.iter().filter(|(.., mark)| !mark.contains("repeat"));
        let recorded: Vec<i32> = recorded.map(|(_, v, _)| *v).collect();
        ensure!(recorded == *expected, "{key:?}: sent {expected:?}, recorded {recorded:?}");
    }
    Ok(sent.len())
}

/// The take's times are the kernel's, but for one constant: what lies
/// between two events lies between the moments they were sent.
fn times(sent: &[Sent], values: &Values) -> anyhow::Result<()> {
    let mut taken: BTreeMap<_, usize> = BTreeMap::new();
    // The constant lies between these.
    let (mut least, mut most) = (i128::MIN, i128::MAX);
    let mut late = BTreeMap::<&str, usize>::new();
    for one in sent {
        let key = (one.device.clone(), one.c.clone());
        let at = taken.entry(key.clone()).or_default();
        let plain: Vec<_> = values[&key].iter().filter(|(.., m)| !m.contains("repeat")).collect();
        let (t, _, mark) = plain[*at];
        *at += 1;
        // It waited to be told from what the kernel makes up, and says so.
        if mark.contains("late") {
            *late.entry(&one.device).or_default() += 1;
            continue;
        }
        // The kernel stamps microseconds.
        least = least.max(i128::from(one.from) - i128::from(*t) - 1_000);
        most = most.min(i128::from(one.until) - i128::from(*t) + 1_000);
    }
    ensure!(least <= most, "no constant fits the times: {least} > {most}");
    let waited = late.remove("proof many").unwrap_or_default();
    println!("{waited} releases of eight keys or more at once waited, and are marked late");
    let others: usize = late.values().sum();
    println!("{others} of the others were heard after their tick had run, and say so: {late:?}");
    ensure!(waited <= 48 && others <= sent.len() / 8, "too many came late");
    println!("times agree with the sender's clock to {} us", (most - least) / 1_000);
    Ok(())
}

fn repeats(values: &Values) -> anyhow::Result<()> {
    let key = ("proof keys".to_owned(), "KeyH".to_owned());
    let times: Vec<u64> =
        values[&key].iter().filter(|(.., m)| m.contains("repeat")).map(|(t, ..)| *t).collect();
    ensure!(times.len() >= 5, "only {} repeats of a key held 900 ms", times.len());
    let gaps: Vec<u64> = times.windows(2).map(|pair| (pair[1] - pair[0]) / 1_000_000).collect();
    println!("{} repeats, {gaps:?} ms apart, none a press", times.len());
    Ok(())
}

/// The held button is not released by an event, the device comes back
/// under its own id.
fn unplugging(lines: &[Line]) -> anyhow::Result<()> {
    let is_pad = |line: &Line| line.name.as_deref() == Some("proof pad");
    let plugs: Vec<usize> =
        lines.iter().enumerate().filter(|(_, l)| is_pad(l)).map(|(i, _)| i).collect();
    ensure!(plugs.len() == 2, "the pad was plugged in {} times, not twice", plugs.len());
    let id = lines[plugs[0]].plug.clone();
    ensure!(lines[plugs[1]].plug == id, "the pad came back as another device");
    let gone = lines.iter().position(|line| line.unplug == id).context("it never went")?;
    let last = lines[..gone].iter().rev().find(|line| line.on == id);
    let last = last.context("nothing was recorded of the pad")?;
    ensure!(
        (last.c.as_deref(), last.v) == (Some("south"), 1),
        "the last word of the pad was {last:?}, not the press"
    );
    println!("unplugged while held, and back as the same device");
    Ok(())
}

/// The node went and another came, as the same device.
fn replaced_node(lines: &[Line]) -> anyhow::Result<()> {
    let is_pad =
        |l: &&Line| l.name.as_deref() == Some("proof hid") && l.kind.as_deref() == Some("pad");
    let plugs: Vec<_> = lines.iter().filter(is_pad).collect();
    ensure!(plugs.len() == 2, "the HID pad was plugged in {} times, not twice", plugs.len());
    ensure!(plugs[0].plug == plugs[1].plug, "its new node is taken for another device");
    let gone = lines.iter().any(|line| line.unplug == plugs[0].plug && line.t < plugs[1].t);
    ensure!(gone, "its old node never went");
    println!("a driver that came later replaced the node: the same device again");
    Ok(())
}

/// Whatever came and went is gone.
fn ghosts(lines: &[Line]) -> anyhow::Result<()> {
    let plugs: Vec<_> =
        lines.iter().filter(|l| l.name.as_deref() == Some("proof flicker")).collect();
    let ids: Vec<_> = plugs.iter().filter_map(|line| line.plug.clone()).collect();
    let gone = lines.iter().filter(|line| line.unplug.as_ref().is_some_and(|id| ids.contains(id)));
    let gone = gone.count();
    ensure!(plugs.len() == gone, "{} came, and {gone} went", plugs.len());
    println!("plugged in and out 200 times: {gone} were seen, and all of them went");
    Ok(())
}

/// Nothing is said of a device before it is there, and its times do not go back.
fn busy(lines: &[Line], values: &Values) -> anyhow::Result<()> {
    let mut there = Vec::new();
    for line in lines {
        there.extend(line.plug.clone());
        if let Some(id) = &line.on {
            ensure!(there.contains(id), "{line:?} before its device was plugged in");
        }
    }
    let plug = lines.iter().find(|line| line.name.as_deref() == Some("proof busy"));
    let plugged = plug.context("the busy pad was not seen")?.t;
    let of =
        |c: &str| values.get(&("proof busy".to_owned(), c.to_owned())).cloned().unwrap_or_default();
    let (x, south) = (of("stick-l-x"), of("south"));
    ensure!(x.iter().chain(&south).all(|(t, ..)| *t >= plugged), "something was said too early");
    ensure!(x.is_sorted_by_key(|(t, ..)| *t) && x.is_sorted_by_key(|(_, v, _)| *v), "{x:?}");
    // Each value is 10 more than the one before: none is missing since it was opened.
    let missing = x.windows(2).filter(|two| two[1].1 - two[0].1 > 10).count();
    ensure!(missing == 0 && x.last().is_some_and(|(_, v, _)| *v == 1500), "{missing} gaps: {x:?}");
    let alternates = south.windows(2).all(|two| two[0].1 != two[1].1);
    ensure!(alternates, "a press or a release is missing: {south:?}");
    println!(
        "opened while it reported: {} of 150 values since, none missing, none too early",
        x.len()
    );
    Ok(())
}

/// After an overrun a replaced finger is another one, and a palm has lifted.
fn fingers(values: &Values) -> anyhow::Result<()> {
    let of =
        |c: &str| values.get(&("proof lost".to_owned(), c.to_owned())).cloned().unwrap_or_default();
    let said = |c: &str| of(c).into_iter().map(|(_, v, _)| v).collect::<Vec<i32>>();
    ensure!(said("contact-1") == [1, 0, 1], "the first finger: {:?}", of("contact-1"));
    ensure!(said("contact-2") == [1, 0], "the palm: {:?}", of("contact-2"));
    let taken = of("contact-2").pop().context("the palm said nothing")?.2;
    ensure!(taken.contains("cancelled"), "the palm was marked {taken:?}");
    ensure!(said("contact-1-x").last() == Some(&3_999), "{:?}", of("contact-1-x").last());
    println!("fingers after an overrun: one replaced, one taken back");
    Ok(())
}

/// The reports of the HID pad say the same as its driver, at the same time but for what
/// the kernel and the reader take: reports are stamped when they are read.
fn without_driver(lines: &[Line], values: &Values) -> anyhow::Result<()> {
    let is_raw =
        |l: &&Line| l.name.as_deref() == Some("proof hid") && l.kind.as_deref() == Some("other");
    ensure!(lines.iter().filter(is_raw).count() > 0, "its reports were not read");
    let of = |c: &str| {
        let all = values.get(&("proof hid".to_owned(), c.to_owned())).cloned().unwrap_or_default();
        all.into_iter().filter(|(.., mark)| !mark.contains("carried")).collect::<Vec<_>>()
    };
    let mut apart = Vec::new();
    for (driver, raw) in [("south", "button-1"), ("east", "button-2"), ("stick-l-x", "x")] {
        let (driver, raw) = (of(driver), of(raw));
        ensure!(!driver.is_empty(), "the driver said nothing");
        for (time, value, _) in &driver {
            let same = raw.iter().filter(|(_, v, _)| v == value);
            let nearest = same.map(|(at, ..)| at.abs_diff(*time) / 1_000).min();
            let nearest = nearest.with_context(|| format!("{value} is not in {raw:?}"))?;
            ensure!(nearest < 200_000, "{value} at {time} is far from {raw:?}");
            apart.push(nearest);
        }
    }
    apart.sort_unstable();
    println!(
        "without a driver: the same {} values, {} us apart (median)",
        apart.len(),
        apart[apart.len() / 2]
    );
    let bytes = of("byte-0-1");
    ensure!(bytes.iter().any(|(_, v, _)| *v == 0x90), "the bytes themselves: {bytes:?}");
    Ok(())
}

/// While another program has the pad it is deaf, and then heard again, as it is.
fn deaf(lines: &[Line], values: &Values) -> anyhow::Result<()> {
    let id = lines.iter().find(|line| line.name.as_deref() == Some("proof grab"));
    let id = id.and_then(|line| line.plug.clone()).context("the grabbed pad was not seen")?;
    let deaf =
        lines.iter().find(|line| line.deaf.as_ref() == Some(&id)).context("it never was deaf")?;
    let heard =
        lines.iter().find(|line| line.heard.as_ref() == Some(&id)).context("it stayed deaf")?;
    ensure!(deaf.t < heard.t, "heard again before it was deaf");
    let of =
        |c: &str| values.get(&("proof grab".to_owned(), c.to_owned())).cloned().unwrap_or_default();
    let last = of("stick-l-x").last().map(|(_, v, _)| *v);
    ensure!(last == Some(4_321), "the last word of the grabbed pad is {last:?}");
    let carried = of("south").last().cloned().context("its button was forgotten")?;
    ensure!(carried.1 == 1 && carried.2.contains("carried"), "its button is {carried:?}");
    println!("grabbed by another program: deaf, and heard again as it is");
    Ok(())
}

fn overrun(values: &Values) -> anyhow::Result<()> {
    let of = |c: &str| {
        let key = ("proof storm".to_owned(), c.to_owned());
        values.get(&key).map(Vec::as_slice).unwrap_or_default()
    };
    let all = [of("south"), of("east"), of("stick-l-x")];
    let resynced = all.iter().flat_map(|v| v.iter()).filter(|(.., m)| m == "resynced").count();
    ensure!(resynced > 0, "the queue did not overrun, or nobody said so");
    let last = all.map(|v| v.last().map_or(0, |(_, v, _)| *v));
    ensure!(last == [0, 1, 777], "after the overrun the state is {last:?}");
    let south = of("south").len();
    println!("queue overrun: {south} of 3000 values came, then the state was right again");
    Ok(())
}
