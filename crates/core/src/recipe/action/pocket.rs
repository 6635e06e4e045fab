use super::{Act, Action, ActionFamily, ActionInfo, Groove, Lean, Loosen, Pull, Setting, Swing, Values};
pub use crate::base::ids::PocketId;
use crate::base::units::{Millis, Percent};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::PassId;
use crate::recipe::names::{Carrier, Named};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use ts_rs::TS;

/// The timing that the followers of a pocket share: five actions, done in this order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct PocketSettings {
    /// Towards a grid or away from it.
    pub pull: Pull,
    /// Every second one late.
    pub swing: Swing,
    /// A groove.
    pub groove: Groove,
    /// Ahead or behind.
    pub lean: Lean,
    /// Random timing; its drift is the same for all followers.
    pub loosen: Loosen,
}

/// The pockets of a song.
pub type Pockets = BTreeMap<PocketId, PocketSettings>;

impl Default for PocketSettings {
    /// Nothing of anything.
    fn default() -> PocketSettings {
        PocketSettings {
            pull: Pull { strength: Percent(0.0), forgive: Millis(0.0), ..Pull::default() },
            swing: Swing { to: Percent(50.0), ..Swing::default() },
            groove: Groove::neutral(),
            lean: Lean::default(),
            loosen: Loosen { early: Millis(0.0), late: Millis(0.0), ..Loosen::default() },
        }
    }
}

impl PocketSettings {
    /// From JSON, every setting in range; else the setting's path and what is wrong.
    pub fn from_value(value: Value) -> Result<PocketSettings, (String, String)> {
        let settings: PocketSettings = serde_path_to_error::deserialize(value)
            .map_err(|error| (error.path().to_string(), crate::refused(error.inner())))?;
        for action in settings.actions() {
            let kind = action.info().kind;
            let value = serde_json::to_value(&action).map_err(|error| (kind.to_owned(), error.to_string()))?;
            Action::from_value(value).map_err(|(field, message)| (format!("{kind}.{field}"), message))?;
        }
        Ok(settings)
    }

    fn actions(&self) -> [Action; 5] {
        [
            Action::Pull(self.pull.clone()),
            Action::Swing(self.swing.clone()),
            Action::Groove(self.groove.clone()),
            Action::Lean(self.lean.clone()),
            Action::Loosen(self.loosen.clone()),
        ]
    }

    /// The settings at a strength: what moves hits, times that, as far as it goes.
    pub fn at(&self, strength: Percent) -> PocketSettings {
        let of = |value: f64, least: f64, most: f64| (value * strength.factor()).clamp(least, most);
        let percent = |value: Percent, least: f64, most: f64| Percent(of(value.0, least, most));
        let millis = |value: Millis, most: f64| Millis(of(value.0, -most, most));
        let PocketSettings { pull, swing, groove, lean, loosen } = self.clone();
        PocketSettings {
            pull: Pull {
                strength: percent(pull.strength, -100.0, 100.0),
                residue: millis(pull.residue, 50.0),
                ends: percent(pull.ends, 0.0, 100.0),
                lengths: percent(pull.lengths, 0.0, 100.0),
                ..pull
            },
            swing: Swing { to: Percent(50.0 + of(swing.to.0 - 50.0, -25.0, 30.0)), ..swing },
            groove: Groove {
                timing: percent(groove.timing, 0.0, 200.0),
                touch: percent(groove.touch, 0.0, 200.0),
                liveliness: percent(groove.liveliness, 0.0, 100.0),
                pull: percent(groove.pull, 0.0, 100.0),
                lengths: percent(groove.lengths, 0.0, 200.0),
                ..groove
            },
            lean: Lean { by: millis(lean.by, 200.0), share: percent(lean.share, -50.0, 50.0), ..lean },
            loosen: Loosen {
                early: millis(loosen.early, 100.0),
                late: millis(loosen.late, 100.0),
                wander: millis(loosen.wander, 50.0),
                ..loosen
            },
        }
    }

    /// The kinds of those of its five actions that change anything.
    pub fn active(&self) -> Vec<&'static str> {
        self.as_actions(Percent(100.0)).iter().map(|action| action.info().kind).collect()
    }

    /// What it does at a strength as ordinary actions, in order; what changes nothing is left out.
    pub fn as_actions(&self, strength: Percent) -> Vec<Action> {
        let settings = self.at(strength);
        let PocketSettings { pull, swing, groove, lean, loosen } = &settings;
        let does = [
            [pull.strength, pull.ends, pull.lengths].iter().any(|one| one.0 != 0.0) || pull.residue.0 != 0.0,
            swing.to.0 != 50.0,
            !groove.is_neutral(),
            lean.by.0 != 0.0 || lean.share.0 != 0.0,
            [loosen.early, loosen.late, loosen.wander].iter().any(|one| one.0 != 0.0),
        ];
        settings.actions().into_iter().zip(does).filter(|(_, does)| *does).map(|(action, _)| action).collect()
    }
}

/// Follows a pocket: its pull, swing, groove, lean and loosen, at a strength of the follower's own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Pocket {
    /// Which of the song's.
    pub pocket: PocketId,
    /// 0 to 200 %: its settings times this.
    pub strength: Percent,
}

impl Default for Pocket {
    fn default() -> Pocket {
        Pocket { pocket: PocketId(0), strength: Percent(100.0) }
    }
}

impl Act for Pocket {
    const INFO: ActionInfo = ActionInfo {
        kind: "pocket",
        title: "Pocket",
        family: ActionFamily::Time,
        words: &["feel", "shared", "follow", "group", "together", "band", "swing", "timing"],
        sentence: "follow {pocket}[ by {strength}].",
        brief: "{pocket}",
        explains: "A timing that several instruments and parts share: change it once, all follow.",
        points: &[],
        settings: &[
            Setting::new("strength", "strength", Values::number(0.0, 200.0, 1.0, "%", Some(100.0))),
            Setting::new("pocket", "pocket", Values::Pocket),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn said(&self, stage: &Stage<'_>) -> Option<String> {
        match stage.pockets.get(&self.pocket) {
            None => Some("Choose a pocket of this song, or make one.".to_owned()),
            Some(settings) if !settings.groove.is_neutral() => settings.groove.said(stage),
            Some(_) => None,
        }
    }

    fn names(&mut self, by: &mut dyn Carrier) {
        let Pocket { pocket, strength: _ } = self;
        by.take(Named::Pocket(pocket));
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let Some(settings) = stage.pockets.get(&self.pocket) else { return };
        // All followers drift together, whichever part they are in.
        let drift = Dice::new(stage.variation, PassId(u32::MAX - self.pocket.0), stage.round);
        for (action, place) in settings.as_actions(self.strength).iter().zip(1..) {
            stage.with_grace_notes(aimed, |stage| match action {
                Action::Loosen(loosen) => loosen.loosen(stage, aimed, dice, &drift),
                other => other.act(stage, aimed, &dice.apart(place)),
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Ppq;
    use crate::kit::Kit;
    use crate::kit::chart::Chart;
    use crate::part::hit::Part;
    use crate::perform::testing::sixteenths;
    use crate::perform::{Context, Performance, perform};
    use crate::recipe::aim::Aim;
    use crate::recipe::{Pass, Recipe};
    use crate::time::metre::MetreMap;
    use crate::time::tempo::TempoMap;
    use serde_json::json;

    fn play(part: &Part, pockets: &Pockets, passes: Vec<Action>) -> Performance {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let context = Context { pockets, ..Context::new(&tempo, &metre) };
        let passes = (1..).zip(passes).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect();
        perform(part, &Chart::new(part, Kit::of_drums(part)), &Recipe::of(passes), &context)
    }

    fn late() -> PocketSettings {
        let swing = Swing { to: Percent(60.0), ..Swing::default() };
        PocketSettings { swing, lean: Lean { by: Millis(10.0), ..Lean::default() }, ..PocketSettings::default() }
    }

    fn follow(strength: f64) -> Action {
        Action::Pocket(Pocket { pocket: PocketId(3), strength: Percent(strength) })
    }

    #[test]
    fn followers_do_what_the_pocket_says_each_at_its_strength() {
        let (part, pockets) = (sixteenths(&[100; 4]), Pockets::from([(PocketId(3), late())]));
        let second = |strength| play(&part, &pockets, vec![follow(strength)]).written[1].tick.0;
        // 60 % of 480 ticks, and 19.2 ticks behind.
        assert_eq!(second(100.0), 307.0);
        assert_eq!(second(50.0), 274.0, "55 % and 5 ms");
        assert_eq!(second(0.0), 240.0);
    }

    #[test]
    fn as_ordinary_passes_it_is_the_same() {
        let loose = Loosen { late: Millis(4.0), ..Loosen::default() };
        let part = sixteenths(&[100; 64]);
        for settings in
            [late(), PocketSettings { loosen: Loosen { early: Millis(0.0), ..loose }, ..PocketSettings::default() }]
        {
            let pockets = Pockets::from([(PocketId(3), settings.clone())]);
            let detached = settings.as_actions(Percent(70.0));
            assert_eq!(play(&part, &pockets, vec![follow(70.0)]).written, play(&part, &pockets, detached).written);
        }
        assert!(PocketSettings::default().as_actions(Percent(100.0)).is_empty());
    }

    #[test]
    fn a_pocket_that_is_not_there_changes_nothing_and_says_so() {
        let part = sixteenths(&[100; 4]);
        let played = play(&part, &Pockets::new(), vec![follow(100.0)]);
        assert_eq!(played.passes[0].touched, 0);
        assert!(played.passes[0].said.as_ref().unwrap().contains("Choose a pocket"));
    }

    #[test]
    fn all_followers_drift_together() {
        let loosen = Loosen { early: Millis(0.0), late: Millis(0.0), wander: Millis(20.0), ..Loosen::default() };
        let pockets = Pockets::from([(PocketId(3), PocketSettings { loosen, ..PocketSettings::default() })]);
        let part = sixteenths(&[100; 64]);
        let off = Action::Pull(Pull { strength: Percent(0.0), ..Pull::default() });
        let first = play(&part, &pockets, vec![follow(100.0)]).written;
        assert_eq!(first, play(&part, &pockets, vec![off, follow(100.0)]).written, "another pass, the same drift");
    }

    #[test]
    fn a_wrong_setting_is_named() {
        let path = |value| PocketSettings::from_value(value).unwrap_err().0;
        assert_eq!(path(json!({"swing": {"to": 90}})), "swing.to");
        assert_eq!(path(json!({"lean": {"by": "late"}})), "lean.by");
        assert_eq!(path(json!({"groove": {"groove": {"bars": 0}}})), "groove.groove.bars");
        assert_eq!(path(json!({"reverb": 3})), "reverb");
        assert_eq!(PocketSettings::from_value(json!({})).unwrap(), PocketSettings::default());
    }
}
