use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::kit::Striking;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::{Carrier, For, Named};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// One of the sounds that a hit may have.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Way {
    /// A stroke of its instrument by name; nothing where it is so many keys away.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub stroke: Option<String>,
    /// −48 to 48: keys away from the note that it has.
    #[serde(default)]
    pub keys: i32,
    /// 0 to 100: how likely, beside the others.
    pub odds: f64,
}

/// One of several sounds for each aimed hit, by dice with odds. Where asked, never the same more often than so many
/// times running on one instrument. Strokes and notes that the kit does not have are no choice.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Recolour {
    /// 1 to 16 sounds.
    pub ways: Vec<Way>,
    /// 1 to 16 times, or nothing where it does not matter.
    pub running: Option<f64>,
}

impl Default for Recolour {
    fn default() -> Recolour {
        let way = |keys| Way { stroke: None, keys, odds: 50.0 };
        Recolour { ways: vec![way(0), way(1)], running: Some(2.0) }
    }
}

const MOST_WAYS: usize = 16;

impl Way {
    fn striking(&self, stage: &Stage<'_>, index: usize) -> Option<Striking> {
        if let Some(stroke) = &self.stroke {
            return stage.stroke_named(index, stroke);
        }
        stage.keys_away(index, self.keys)
    }
}

impl Act for Recolour {
    const INFO: ActionInfo = ActionInfo {
        kind: "recolour",
        title: "Recolour",
        family: ActionFamily::Hands,
        words: &[
            "alternate",
            "random sound",
            "round robin",
            "articulation",
            "sample",
            "shaker",
            "variation",
            "recolor",
            "timbre",
        ],
        sentence: "choose among {ways}[, the same at most {running} running].",
        brief: "{ways}",
        explains: "One of several strokes or notes for each hit, by dice.",
        points: &[],
        settings: &[
            Setting::new("ways", "sounds", Values::Ways),
            Setting::new(
                "running",
                "times running",
                Values::Number {
                    min: 1.0,
                    max: 16.0,
                    step: 1.0,
                    unit: "times",
                    neutral: None,
                    sides: None,
                    none: Some("any number of times"),
                },
            ),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        let wrong = |place: usize, field: &str, why: String| Err((format!("ways[{place}].{field}"), why));
        if !(1..=MOST_WAYS).contains(&self.ways.len()) {
            return Err(("ways".to_owned(), format!("there are 1 to {MOST_WAYS} sounds to choose from")));
        }
        for (place, way) in self.ways.iter().enumerate() {
            if !(0.0..=100.0).contains(&way.odds) {
                return wrong(place, "odds", format!("{} is outside 0 to 100", way.odds));
            }
            if way.keys.unsigned_abs() > 48 {
                return wrong(place, "keys", format!("{} is outside -48 to 48", way.keys));
            }
            if way.stroke.as_ref().is_some_and(|name| name.chars().count() > 80) {
                return wrong(place, "stroke", "the name of a stroke has at most 80 letters".to_owned());
            }
        }
        Ok(())
    }

    fn names(&mut self, by: &mut dyn Carrier) {
        let Recolour { ways, running: _ } = self;
        for Way { stroke, keys: _, odds: _ } in ways {
            if let Some(stroke) = stroke {
                by.take(Named::Stroke(stroke, For::Use));
            }
        }
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        for indices in stage.by_instrument(aimed) {
            let (mut last, mut times) = (None, 0);
            for index in indices {
                let strokes: Vec<Option<Striking>> = self.ways.iter().map(|way| way.striking(stage, index)).collect();
                let barred = last.filter(|_| self.running.is_some_and(|most| f64::from(times) >= most));
                let odds = |place: usize| if strokes[place].is_some() { self.ways[place].odds } else { 0.0 };
                let sum = |barred: Option<usize>| -> f64 {
                    (0..strokes.len()).filter(|place| Some(*place) != barred).map(odds).sum()
                };
                // Where nothing else is to be had it is the same once more.
                let barred = barred.filter(|_| sum(barred) > 0.0);
                let mut left = dice.even(stage.id(index), 0) * sum(barred);
                let mut chosen = None;
                for place in (0..strokes.len()).filter(|place| Some(*place) != barred && odds(*place) > 0.0) {
                    chosen = Some(place);
                    left -= odds(place);
                    if left < 0.0 {
                        break;
                    }
                }
                let Some(chosen) = chosen else { continue };
                times = if last == Some(chosen) { times + 1 } else { 1 };
                last = Some(chosen);
                if let Some(way) = strokes[chosen] {
                    stage.strike_by(index, way);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn sounds_are_chosen_by_odds_and_never_three_running() {
        let ways = vec![
            Way { stroke: None, keys: 0, odds: 75.0 },
            Way { stroke: None, keys: 4, odds: 25.0 },
            Way { stroke: Some("bell".to_owned()), keys: 0, odds: 100.0 },
        ];
        let notes = |running| {
            let recolour = Recolour { ways: ways.clone(), running };
            let played = play(&sixteenths(&[100; 400]), Action::Recolour(recolour));
            played.iter().map(|hit| hit.note.get()).collect::<Vec<u8>>()
        };
        let free = notes(None);
        let share = free.iter().filter(|&&note| note == 42).count();
        assert!((270..330).contains(&share) && free.iter().all(|&note| note == 42 || note == 46), "{share}");
        assert!(notes(Some(2.0)).windows(3).all(|three| three[0] != three[1] || three[1] != three[2]));
        assert!(free.windows(3).any(|three| three[0] == three[1] && three[1] == three[2]));
    }
}
