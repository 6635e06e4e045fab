use super::{Act, ActionFamily, ActionInfo, Setting, Values, point};
use crate::base::units::{Percent, Ticks, Velocity};
use crate::part::hit::HitId;
use crate::perform::dice::Dice;
use crate::perform::room::{Feel, LeftOut, Place, Room, made_from};
use crate::perform::{Making, Stage};
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Which places are left free.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum LeaveFree {
    /// None.
    #[default]
    None,
    /// Where a kick sounds.
    Kick,
    /// Where any other drum sounds.
    Others,
}

/// Ghost notes: soft strokes around each aimed hit, on slots of a grid before and after it.
///
/// Each stands where its line is, moved as its neighbours are, with a velocity drawn from `from` to `to`. It is
/// left out where its drum is struck already, where the hand that would play it is busy, and before the song.
/// Beside a rimshot or a side stick it is the drum's first stroke.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Ghosts {
    /// What slots are counted in.
    pub grid: Grid,
    /// −8 to 8 without 0: slots before (−) and after the hit, each once.
    pub slots: Vec<i32>,
    /// 1 to 127: the softest.
    pub from: Velocity,
    /// 1 to 127: the hardest.
    pub to: Velocity,
    /// 0 to 100 %: how many of the places are taken.
    pub odds: Percent,
    /// Which places stay free.
    pub free: LeaveFree,
}

impl Default for Ghosts {
    fn default() -> Ghosts {
        let velocity = |value| Velocity::rounded(f64::from(value));
        Ghosts {
            grid: Grid::SIXTEENTHS,
            slots: vec![-1, 1],
            from: velocity(18),
            to: velocity(38),
            odds: Percent(67.0),
            free: LeaveFree::Kick,
        }
    }
}

/// How far slots go to either side.
const FARTHEST: i32 = 8;

impl Act for Ghosts {
    const INFO: ActionInfo = ActionInfo {
        kind: "ghosts",
        title: "Ghosts",
        family: ActionFamily::Hands,
        words: &["ghost note", "ghost notes", "soft", "around", "backbeat", "add", "left hand", "chatter", "fill in"],
        sentence: "add ghost notes {slots} in {grid}, velocity {from} to {to}, in {odds} of the places, {free}.",
        brief: "{slots}, {odds}",
        explains: "Soft strokes around the hits, where the hands have time for them.",
        points: &[point("ghost", "{}"), point("chatter", r#"{"slots": [-2, -1, 1, 2], "odds": 50}"#)],
        settings: &[
            Setting::new("slots", "places", Values::Around { farthest: FARTHEST }),
            Setting::new("grid", "grid", Values::Grid),
            Setting::new("from", "softest", Values::velocity()),
            Setting::new("to", "hardest", Values::velocity()),
            Setting::new("odds", "odds", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))),
            Setting::new(
                "free",
                "places left free",
                Values::Choice {
                    options: &[
                        ("none", "wherever there is room"),
                        ("kick", "except where the kick sounds"),
                        ("others", "except where another drum sounds"),
                    ],
                },
            ),
        ],
    };

    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        super::in_order("from", self.from, self.to)?;
        for (place, slot) in self.slots.iter().enumerate() {
            let wrong = |why: String| Err((format!("slots[{place}]"), why));
            if *slot == 0 || slot.unsigned_abs() > FARTHEST.unsigned_abs() {
                return wrong(format!("{slot} is outside -{FARTHEST} to {FARTHEST}, or 0, where the hit itself is"));
            }
            if self.slots[..place].contains(slot) {
                return wrong(format!("{slot} is there twice"));
            }
        }
        Ok(())
    }

    fn makes(&self) -> usize {
        self.slots.len()
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let (mut room, feel) = (Room::new(stage), Feel::new(stage));
        let cell = self.grid.cell(stage.metre.ppq()).0;
        for index in stage.ordered(aimed) {
            let own = self.grid.nearest(stage.metre, stage.anchor(index)).0;
            for &slot in &self.slots {
                let ordinal = (slot + FARTHEST) as u32;
                let id = HitId::made(dice.pass(), stage.id(index), ordinal);
                if dice.even(id, 0) >= self.odds.factor() {
                    continue;
                }
                let wanted = own + f64::from(slot) * cell;
                if wanted < 0.0 {
                    stage.leave_out(LeftOut::Start);
                    continue;
                }
                let anchor = self.grid.nearest(stage.metre, Ticks(wanted)).0;
                let onset = (anchor + feel.at(anchor)).max(0.0);
                let instrument = stage.instrument(index);
                let is_taken = match self.free {
                    LeaveFree::None => false,
                    LeaveFree::Kick => room.sounds(stage, onset, instrument, true),
                    LeaveFree::Others => room.sounds(stage, onset, instrument, false),
                };
                if is_taken {
                    stage.leave_out(LeftOut::Free);
                    continue;
                }
                let (from, to) = (f64::from(self.from.get()), f64::from(self.to.get()));
                let velocity = from + dice.even(id, 1) * (to - from);
                let place = Place { anchor, onset, length: cell.min(stage.first_length(index).0).max(1.0) };
                let (note, channel) = stage.softly(index);
                let ghost = made_from(stage, index, ordinal, place, velocity);
                room.make(stage, dice.pass(), Making { note, channel, ..ghost });
            }
        }
    }
}
