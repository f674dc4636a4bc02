//! `gtrig figure`.

use super::{
    shared::{RigArgs, Status, missing},
    takes::{FollowArgs, judged},
};
use crate::{
    figure::{self, Excerpt, LadderSheet, StickSheet, TouchSheet},
    files::Opened,
    screen::lanes,
};
use anyhow::Context;
use clap::Args;
use gtrig_analysis::Session;
use gtrig_core::{ActionId, BoundInput, ComboId, GestureId, Nanos};
use std::path::PathBuf;

/// Draw lanes of a take over time, or a stick with its shape, as SVG or PDF.
#[derive(Args, Debug)]
pub struct Figure {
    /// The recording (JSON Lines; see docs/take-format.md); - is standard input.
    take: PathBuf,
    /// The figure: a file that ends in .svg or .pdf.
    figure: PathBuf,
    #[command(flatten)]
    follow: FollowArgs,
    #[command(flatten)]
    rig: RigArgs,
    /// Show only lanes whose name has these words, as / does on the screen; without them
    /// those that move.
    #[arg(long, default_value = "")]
    lanes: String,
    /// Draw the stick, axis or trigger of this action instead of lanes: where it
    /// was, zones and gate, what came of it, its curve, its speed by direction.
    #[arg(long, value_name = "ACTION", conflicts_with = "lanes")]
    stick: Option<String>,
    /// Draw a touch panel instead: its zones, the paths of its contacts, what
    /// fired and what missed by little. With the name of a gesture, all that
    /// came of that one, and its limits where each attempt began.
    #[arg(long, value_name = "GESTURE", num_args = 0..=1, conflicts_with_all = ["lanes", "stick"])]
    touch: Option<Option<String>>,
    /// Draw the ladder of this combo instead: of the attempts in the stretch the
    /// nearest miss, or else the last, with its windows; and all intervals.
    #[arg(long, value_name = "COMBO", conflicts_with_all = ["lanes", "stick", "touch"])]
    ladder: Option<String>,
    /// From this instant on, in milliseconds.
    #[arg(long, value_name = "MS", default_value_t = 0)]
    from: u64,
    /// Up to this instant; without it, to the end.
    #[arg(long, value_name = "MS")]
    to: Option<u64>,
    /// The title; without it, that of the take.
    #[arg(long)]
    title: Option<String>,
}

impl Figure {
    /// Runs it.
    ///
    /// # Errors
    /// When the take cannot be opened, no lane has the words, no stick drives the
    /// action, or the figure cannot be written.
    pub fn run(self) -> anyhow::Result<Status> {
        let opened = self.follow.read(&self.take, self.rig.read()?)?;
        let rate = opened.session.plan().rate();
        let last = rate.time_of(opened.session.now().at());
        let from = Nanos::from_millis(self.from);
        let to = self.to.map_or(last, Nanos::from_millis);
        anyhow::ensure!(from < to, "--from {from} is not before the end, {to}");
        let svg = self.draw(&opened, from, to)?;
        figure::save(&svg, &self.figure)?;
        Ok(judged(&self.take, &opened.loaded, Status::Fine))
    }

    fn draw(&self, opened: &Opened, from: Nanos, to: Nanos) -> anyhow::Result<String> {
        let Opened { session, title, streams, .. } = opened;
        let title = self.title.clone().or(title.clone());
        let title = title.unwrap_or_else(|| self.take.display().to_string());
        if let Some(action) = &self.stick {
            let input = shaped_input(session, action)?;
            let rate = session.plan().rate();
            let ticks = (rate.tick_seeing(from), rate.tick_at(to));
            return Ok(figure::stick(&StickSheet::of_input(title, session, input, ticks)));
        }
        if let Some(name) = &self.touch {
            let gesture = match name {
                Some(name) => Some(gesture_of(session, name)?),
                None => None,
            };
            let sheet = TouchSheet { title, from, to, panel: 0, gesture };
            return figure::touch(session, &sheet).context("the take has no touch panel");
        }
        if let Some(name) = &self.ladder {
            let names = session.rig().combos.iter().map(|combo| combo.name.as_str());
            let place = names.clone().position(|combo| combo == name);
            let place = place.ok_or_else(|| missing("the rig has no combo", name, names))?;
            let sheet = LadderSheet { title, combo: ComboId::at(place), from, to };
            return Ok(figure::ladder(session, &sheet));
        }
        let all = lanes(session, &self.lanes);
        // Who asks for lanes by their names gets them, whether they move or not.
        let lanes = match self.lanes.is_empty() {
            true => figure::moving(session, all, from, to),
            false => all,
        };
        let words = self.lanes.escape_debug();
        anyhow::ensure!(!lanes.is_empty(), "no lane has \"{words}\" in its name");
        Ok(figure::timeline(session, streams, &Excerpt { title, from, to, lanes }))
    }
}

fn gesture_of(session: &Session, name: &str) -> anyhow::Result<GestureId> {
    let names = session.rig().gestures.iter().map(|gesture| gesture.name.as_str());
    let place = names.clone().position(|gesture| gesture == name);
    Ok(GestureId::at(place.ok_or_else(|| missing("the rig has no gesture", name, names))?))
}

/// The analogue input of an action that moved the most, or else the first.
fn shaped_input(session: &Session, name: &str) -> anyhow::Result<(ActionId, BoundInput)> {
    let actions = &session.rig().actions;
    let Some(action) = actions.iter().position(|action| action.name == name) else {
        let names = actions.iter().map(|action| action.name.as_str());
        return Err(missing("the rig has no action", name, names));
    };
    let (action, plan) = (ActionId(action as u16), session.plan());
    let moved = |input: &&BoundInput| -> usize {
        let controls = plan.controls_of(**input).into_iter();
        controls.map(|control| session.history().control_lane(control).len()).sum()
    };
    let found =
        plan.inputs(action).iter().filter(|input| plan.is_analogue(**input)).max_by_key(moved);
    let input = found.with_context(|| format!("no stick, axis or trigger drives {name}"))?;
    Ok((action, *input))
}
