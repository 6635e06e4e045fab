use super::{Act, ActionFamily, ActionInfo, Setting, Values, point};
use crate::base::units::Millis;
use crate::kit::{Articulation, Hand, Instrument, Striking};
use crate::perform::dice::Dice;
use crate::perform::strokes::Chain;
use crate::perform::{Side, Stage};
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Which side follows which.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum StickingPattern {
    /// R L.
    #[default]
    Alternate,
    /// R R L L.
    Doubles,
    /// R L R R L R L L.
    Paradiddle,
    /// A word of one's own.
    Own,
}

/// Where a pattern begins.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum StickingStart {
    /// With each run.
    #[default]
    Run,
    /// With each bar, so that the lead comes on the beat.
    Bar,
}

/// Whether a drum is a run of its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum StickingAcross {
    /// Runs go around the kit.
    #[default]
    Drums,
    /// Each drum has its own.
    Apart,
}

/// Whether the first stroke of a run is spared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum StickingFirst {
    /// It stays as it is.
    #[default]
    Spared,
    /// It is as any other.
    Alike,
}

/// Two hands, or two feet: gives each aimed hit a side, run by run. The side that does not lead is softer by `softer` and
/// later by `late`; where an instrument has strokes of their own for a side, these are played.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Sticking {
    /// Which side follows which, for a lead of R.
    pub pattern: StickingPattern,
    /// 1 to 64 letters, R and L.
    pub word: String,
    /// The side that begins, and is the stronger one.
    pub lead: Side,
    /// Where the pattern begins.
    pub start: StickingStart,
    /// 20 to 1000 ms: strokes that are further apart are not of one run.
    pub gap: Millis,
    /// Whether a run goes from drum to drum.
    pub across: StickingAcross,
    /// 0 to 40: how much softer the weaker side is.
    pub softer: f64,
    /// 0 to 30 ms: how much later.
    pub late: Millis,
    /// Whether the first stroke of a run is spared.
    pub first: StickingFirst,
}

impl Default for Sticking {
    fn default() -> Sticking {
        Sticking {
            pattern: StickingPattern::Alternate,
            word: "RLRRLRLL".to_owned(),
            lead: Side::Right,
            start: StickingStart::Run,
            gap: Millis(180.0),
            across: StickingAcross::Drums,
            softer: 8.0,
            late: Millis(2.0),
            first: StickingFirst::Spared,
        }
    }
}

impl Sticking {
    fn sides(&self) -> Vec<Side> {
        let word = match self.pattern {
            StickingPattern::Alternate => "RL",
            StickingPattern::Doubles => "RRLL",
            StickingPattern::Paradiddle => "RLRRLRLL",
            StickingPattern::Own => &self.word,
        };
        let side = |letter: char| if letter == 'R' { Side::Right } else { Side::Left };
        let sides = word.chars().map(side);
        if self.lead == Side::Right { sides.collect() } else { sides.map(Side::other).collect() }
    }

    /// Aimed hits in order, by the chains that they may be runs of.
    fn chains(&self, stage: &Stage<'_>, aimed: &[usize]) -> Vec<Vec<usize>> {
        match self.across {
            StickingAcross::Apart => stage.by_instrument(aimed),
            StickingAcross::Drums => {
                let mut all = aimed.to_vec();
                all.sort_by(|&a, &b| stage.anchor(a).0.total_cmp(&stage.anchor(b).0).then(a.cmp(&b)));
                vec![all]
            }
        }
    }
}

/// The stroke of an instrument for a side, by the name of what is played now; nothing where it has none.
pub(crate) fn of_side(instrument: &Instrument, now: &str, side: Side) -> Option<Striking> {
    let hand = if side == Side::Left { Hand::Left } else { Hand::Right };
    let mut ways = instrument.articulations.iter().filter(|way| way.hand == hand);
    let alike = ways.clone().find(|way| way.name == now);
    alike.or_else(|| ways.next()).map(Articulation::striking)
}

impl Act for Sticking {
    const INFO: ActionInfo = ActionInfo {
        kind: "sticking",
        title: "Sticking",
        family: ActionFamily::Hands,
        words: &[
            "hands",
            "left",
            "right",
            "feet",
            "double kick",
            "rudiment",
            "alternate",
            "rlrl",
            "machine gun",
            "weak hand",
        ],
        sentence: "{pattern}[ ({word})], {lead} leads, anew with {start}; runs up to {gap} apart, {across}; the other side {softer} softer and {late} later, the first stroke {first}.",
        brief: "{pattern}",
        explains: "Two hands, or two feet: the weaker one softer and a hair later.",
        points: &[
            point("paradiddle", r#"{"pattern": "paradiddle"}"#),
            point("doubles", r#"{"pattern": "doubles"}"#),
            point("double kick", r#"{"across": "apart", "softer": 6}"#),
            point("lefty", r#"{"lead": "left"}"#),
        ],
        settings: &[
            Setting::new(
                "pattern",
                "pattern",
                Values::Choice {
                    options: &[
                        ("alternate", "alternate sides"),
                        ("doubles", "doubles"),
                        ("paradiddle", "paradiddles"),
                        ("own", "a word of your own"),
                    ],
                },
            ),
            Setting::new("word", "word", Values::Word { letters: "RL", most: MOST_LETTERS as u32 })
                .when("pattern", "own"),
            Setting::new("lead", "lead", Values::Choice { options: &[("right", "the right"), ("left", "the left")] }),
            Setting::new(
                "start",
                "beginning anew",
                Values::Choice { options: &[("run", "each run"), ("bar", "each bar")] },
            ),
            Setting::new("gap", "gap", Values::number(20.0, 1000.0, 5.0, "ms", None)),
            Setting::new(
                "across",
                "drums",
                Values::Choice { options: &[("drums", "from drum to drum"), ("apart", "each drum by itself")] },
            ),
            Setting::new("softer", "softer", Values::number(0.0, 40.0, 1.0, "", Some(0.0))),
            Setting::new("late", "later", Values::number(0.0, 30.0, 0.5, "ms", Some(0.0))),
            Setting::new(
                "first",
                "first stroke",
                Values::Choice { options: &[("spared", "spared"), ("alike", "no exception")] },
            ),
        ],
    };

    fn check(&self) -> Result<(), (String, String)> {
        let wrong = |why: String| Err(("word".to_owned(), why));
        match self.word.chars().find(|letter| !matches!(letter, 'R' | 'L')) {
            Some(letter) => return wrong(format!("“{letter}” is neither R nor L")),
            None if self.word.is_empty() => return wrong("a word of R and L has at least one letter".to_owned()),
            None => {}
        }
        let letters = self.word.len();
        if letters > MOST_LETTERS {
            return wrong(format!("{letters} letters are more than {MOST_LETTERS}"));
        }
        Ok(())
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        let sides = self.sides();
        let cell = Grid::SIXTEENTHS.cell(stage.metre.ppq()).0;
        let mut follows = false;
        for chain in self.chains(stage, aimed) {
            let mut known = Chain::NEW;
            // The stroke of the run, and the side of its first hit.
            let (mut stroke, mut side) = (0, self.lead);
            for index in chain {
                let begins = known.take(stage.seconds(index));
                if begins {
                    stroke = if known.gap > self.gap.0 + 1e-6 { 0 } else { stroke + 1 };
                    follows |= stroke > 0;
                    let place = match self.start {
                        StickingStart::Run => stroke,
                        StickingStart::Bar => {
                            let at = stage.anchor(index);
                            ((at.0 - stage.metre.bar_at(at).start.0) / cell).round() as usize
                        }
                    };
                    side = sides[place % sides.len()];
                } else {
                    // What lands together is played by both.
                    side = side.other();
                }
                stage.hand[index] = Some(side);
                let now = stage.instrument_at(index).and_then(|instrument| {
                    of_side(instrument, stage.stroke_of(index).map_or("", |way| &way.name), side)
                });
                if let Some(way) = now {
                    stage.strike_by(index, way);
                }
                let spared = stroke == 0 && self.first == StickingFirst::Spared;
                if side != self.lead && !spared {
                    stage.velocity[index] -= self.softer;
                    stage.move_by(index, self.late);
                }
            }
        }
        if !follows && !aimed.is_empty() && self.start == StickingStart::Run {
            stage
                .say(format!("None of these follow one another within {} ms, so one side plays them all.", self.gap.0));
        }
    }
}

/// The most letters of a word.
const MOST_LETTERS: usize = 64;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    fn sides(sticking: Sticking) -> String {
        let played = play(&sixteenths(&[100; 8]), Action::Sticking(sticking));
        let letter = |side: Option<Side>| if side == Some(Side::Right) { 'R' } else { 'L' };
        played.iter().map(|hit| letter(hit.hand)).collect()
    }

    #[test]
    fn sides_follow_the_pattern_and_the_lead() {
        assert_eq!(sides(Sticking::default()), "RLRLRLRL");
        let paradiddle = Sticking { pattern: StickingPattern::Paradiddle, lead: Side::Left, ..Sticking::default() };
        assert_eq!(sides(paradiddle), "LRLLRLRR");
        let own = Sticking { pattern: StickingPattern::Own, word: "RRL".to_owned(), ..Sticking::default() };
        assert_eq!(sides(own), "RRLRRLRR");
    }

    #[test]
    fn the_weaker_side_is_softer_and_later() {
        let played =
            play(&sixteenths(&[100; 4]), Action::Sticking(Sticking { late: Millis(5.0), ..Sticking::default() }));
        let velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities, [100, 92, 100, 92]);
        // 5 ms are 9.6 ticks.
        assert_eq!(played.iter().map(|hit| hit.tick.0).collect::<Vec<_>>(), [0.0, 250.0, 480.0, 730.0]);
    }

    #[test]
    fn each_run_begins_anew() {
        let mut hits = sixteenths(&[100; 6]).hits().to_vec();
        hits.iter_mut().skip(3).for_each(|hit| hit.tick.0 += 960.0);
        let played = play(&crate::part::hit::Part::new(hits), Action::Sticking(Sticking::default()));
        let letter = |side: Option<Side>| if side == Some(Side::Right) { 'R' } else { 'L' };
        assert_eq!(played.iter().map(|hit| letter(hit.hand)).collect::<String>(), "RLRRLR");
    }
}
