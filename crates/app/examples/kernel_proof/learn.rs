//! A device is named by moving it, and recorded by its map.

use anyhow::{Context, ensure};
use input_linux::{AbsoluteAxis, Key};
use std::{
    fs,
    io::{BufRead, BufReader, Write},
    path::Path,
    process::{Command, Stdio},
    thread::sleep,
    time::Duration,
};

use crate::made::*;

const STEERING: u16 = AbsoluteAxis::RX as u16;
const PEDAL: u16 = AbsoluteAxis::Z as u16;
const HORN: u16 = Key::ButtonTrigger as u16;

/// A board with a wheel that is built in the other way round, and a pedal that rests
/// at its upper end.
fn board() -> anyhow::Result<Made> {
    let axes = [(AbsoluteAxis::RX, 0, 255), (AbsoluteAxis::Z, 0, 255)];
    let keys = [Key::ButtonTrigger, Key::ButtonThumb];
    let board =
        Made::new("proof bare", &Abilities { keys: &keys, axes: &axes, ..Abilities::default() })?;
    board.packet(&[(ABS, STEERING, 127), (ABS, PEDAL, 254)])?;
    Ok(board)
}

/// Names it, and has it recorded by what was written.
pub fn learn(folder: &Path) -> anyhow::Result<()> {
    let board = board()?;
    let map = folder.join("bare.toml");
    let mut asking = Command::new("gtrig")
        .args(["devices", "--learn", "proof bare", "--as", "other"])
        .args(["--controls", "steering=axis,clutch=trigger,horn=button", "--output"])
        .arg(&map)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()?;
    let mut typing = asking.stdin.take().context("it reads nothing")?;
    let asked = BufReader::new(asking.stdout.take().context("it says nothing")?);
    for line in asked.lines() {
        let line = line?;
        println!("  {line}");
        let moves: &[(_, u16, i32)] = match line.as_str() {
            line if line.contains("leave all of it alone") => {
                sleep(Duration::from_millis(200));
                typing.write_all(b"\n")?;
                continue;
            }
            // To the right it counts down.
            line if line.contains("steering    ") => {
                &[(ABS, STEERING, 60), (ABS, STEERING, 3), (ABS, STEERING, 127)]
            }
            line if line.contains("clutch    ") => {
                &[(ABS, PEDAL, 90), (ABS, PEDAL, 0), (ABS, PEDAL, 254)]
            }
            line if line.contains("horn    ") => &[(KEY, HORN, 1), (KEY, HORN, 0)],
            _ => continue,
        };
        for one in moves {
            board.packet(&[*one])?;
            sleep(Duration::from_millis(60));
        }
    }
    ensure!(asking.wait()?.success(), "nothing was learned");
    let written = fs::read_to_string(&map)?;
    ensure!(written.contains("rest = 255, end = 0"), "{written}");
    recorded(&board, folder, &map)?;
    println!("a board was named by moving it, and recorded by its map");
    Ok(())
}

fn recorded(board: &Made, folder: &Path, map: &Path) -> anyhow::Result<()> {
    let take = folder.join("bare.take.jsonl");
    let mut recorder = Command::new("gtrig")
        .arg("record")
        .arg(&take)
        .args(["--seconds", "3", "--map"])
        .arg(map)
        .spawn()?;
    while fs::read_to_string(&take).map_or(true, |text| !text.contains("proof bare")) {
        sleep(Duration::from_millis(20));
    }
    board.packet(&[(ABS, PEDAL, 17), (KEY, HORN, 1)])?;
    recorder.wait()?;
    let text = fs::read_to_string(&take)?;
    for part in [
        r#"{"code":"steering","kind":"axis","min":255,"centre":128,"max":0}"#,
        r#"{"code":"clutch","kind":"trigger","min":255,"max":0}"#,
        r#""c":"clutch","v":17"#,
        r#""c":"horn","v":1"#,
    ] {
        ensure!(text.contains(part), "no {part} in {text}");
    }
    Ok(())
}
