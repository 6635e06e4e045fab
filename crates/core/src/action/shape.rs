use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::dice::Dice;
use crate::perform::Stage;
use crate::units::{Percent, Velocity};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Gives each instrument's hits a distribution of velocities with three handles, keeping the order
/// of what was played.
///
/// The n aimed hits of an instrument are ranked by velocity; ties are broken by
/// s = f·w + (1 − f)·dice, where w is the metrical weight and f is `follow`, and what ties even
/// then by dice alone. Rank k (from 0) gives u = (k + ½)/n, and the target Q(u) is the straight
/// line through (.1, soft), (.5, typical), (.9, hard), continued at the end slopes and held in
/// 1 to 127. Then v := v + amount·(Q(u) − v).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Shape {
    /// The 10th percentile.
    pub soft: Velocity,
    /// The median.
    pub typical: Velocity,
    /// The 90th percentile.
    pub hard: Velocity,
    /// 0 to 100 %: how far the hits go to their targets.
    pub amount: Percent,
    /// 0 to 100 %: how much the loudest go to the beat, where velocities tie.
    pub follow: Percent,
}

impl Default for Shape {
    fn default() -> Shape {
        let velocity = |value| Velocity::new(value).expect("a velocity");
        Shape {
            soft: velocity(48),
            typical: velocity(72),
            hard: velocity(104),
            amount: Percent(100.0),
            follow: Percent(70.0),
        }
    }
}

impl Shape {
    /// The velocity that a share `u` (0 to 1) of the hits stays below.
    pub fn target(&self, u: f64) -> f64 {
        let [soft, typical, hard] = [self.soft, self.typical, self.hard].map(|v| f64::from(v.get()));
        let value = if u <= 0.5 {
            typical + (u - 0.5) / 0.4 * (typical - soft)
        } else {
            typical + (u - 0.5) / 0.4 * (hard - typical)
        };
        value.clamp(1.0, 127.0)
    }
}

#[derive(Clone, Copy)]
struct Ranked {
    velocity: f64,
    tie: u64,
    row: usize,
}

/// In order of velocity, then of the tie breaker. Hits are first dealt into a bin for each whole
/// velocity and sorted there, which is much faster than sorting them all at once.
fn sorted(hits: Vec<Ranked>) -> Vec<Ranked> {
    let bin = |hit: &Ranked| hit.velocity.clamp(0.0, 128.0) as usize;
    let mut starts = [0usize; 130];
    for hit in &hits {
        starts[bin(hit) + 1] += 1;
    }
    for place in 1..starts.len() {
        starts[place] += starts[place - 1];
    }
    let mut next = starts;
    let mut dealt = hits.clone();
    for hit in hits {
        let place = &mut next[bin(&hit)];
        dealt[*place] = hit;
        *place += 1;
    }
    for bounds in starts.windows(2) {
        dealt[bounds[0]..bounds[1]]
            .sort_unstable_by(|a, b| a.velocity.total_cmp(&b.velocity).then(a.tie.cmp(&b.tie)).then(a.row.cmp(&b.row)));
    }
    dealt
}

/// Orders by the tie breaker, to 32 bits, and within those by dice.
fn tie_key(tie: f64, dice: f64) -> u64 {
    let whole = f64::from(u32::MAX);
    (((tie * whole) as u64) << 32) | (dice * whole) as u64
}

impl Act for Shape {
    const INFO: ActionInfo = ActionInfo {
        kind: "shape",
        title: "Shape",
        family: ActionFamily::Touch,
        words: &["humanize", "velocity", "dynamics", "distribution", "natural", "compress", "expand", "accents"],
        sentence: "aim for soft {soft}, typical {typical}, hard {hard}, all the way by {amount}; the loudest go to the beat by {follow}.",
        explains: "Gives velocities a natural spread: three handles for soft, typical and hard.",
        settings: &[
            Setting { name: "soft", label: "soft", values: Values::velocity() },
            Setting { name: "typical", label: "typical", values: Values::velocity() },
            Setting { name: "hard", label: "hard", values: Values::velocity() },
            Setting { name: "amount", label: "amount", values: Values::number(0.0, 100.0, 1.0, "%", Some(0.0)) },
            Setting { name: "follow", label: "to the beat", values: Values::number(0.0, 100.0, 1.0, "%", Some(0.0)) },
        ],
    };

    fn check(&self) -> Result<(), (&'static str, String)> {
        if self.soft > self.typical {
            return Err(("soft", format!("soft {} is above typical {}", self.soft.get(), self.typical.get())));
        }
        if self.typical > self.hard {
            return Err(("typical", format!("typical {} is above hard {}", self.typical.get(), self.hard.get())));
        }
        Ok(())
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let follow = self.follow.factor();
        for rows in stage.by_instrument(aimed) {
            let ranked = rows
                .into_iter()
                .map(|row| {
                    let id = stage.id(row);
                    let weight = if follow > 0.0 { stage.weight(row) } else { 0.0 };
                    let tie = follow * weight + (1.0 - follow) * dice.even(id, 0);
                    Ranked { velocity: stage.velocity[row], tie: tie_key(tie, dice.even(id, 1)), row }
                })
                .collect();
            let ranked = sorted(ranked);
            let count = ranked.len() as f64;
            for (rank, &Ranked { velocity, row, .. }) in ranked.iter().enumerate() {
                let target = self.target((rank as f64 + 0.5) / count);
                stage.velocity[row] = velocity + self.amount.factor() * (target - velocity);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::Action;
    use crate::perform::testing::{play, sixteenths};

    fn shape(follow: f64) -> Shape {
        let velocity = |value| Velocity::new(value).unwrap();
        Shape {
            soft: velocity(40),
            typical: velocity(64),
            hard: velocity(100),
            amount: Percent(100.0),
            follow: Percent(follow),
        }
    }

    #[test]
    fn targets_are_the_worked_numbers() {
        let targets: Vec<f64> = (0..10).map(|k| shape(100.0).target((f64::from(k) + 0.5) / 10.0)).collect();
        for (target, worked) in targets.iter().zip([37.0, 43.0, 49.0, 55.0, 61.0, 68.5, 77.5, 86.5, 95.5, 104.5]) {
            assert!((target - worked).abs() < 1e-9, "{target} instead of {worked}");
        }
    }

    #[test]
    fn the_heaviest_positions_get_the_highest() {
        let played = play(&sixteenths(&[100; 10]), Action::Shape(shape(100.0)));
        let mut velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities[0], 105, "the downbeat");
        assert_eq!(velocities[8], 96, "beat 3");
        assert_eq!(velocities[4], 87, "beat 2");
        assert!(velocities[2] > velocities[1] && velocities[6] > velocities[7], "half beats over quarter beats");
        velocities.sort_unstable();
        assert_eq!(velocities, [37, 43, 49, 55, 61, 69, 78, 87, 96, 105]);
    }

    #[test]
    fn what_was_played_louder_stays_louder() {
        let played = play(&sixteenths(&[10, 120, 30, 90]), Action::Shape(shape(100.0)));
        let velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert!(velocities[0] < velocities[2] && velocities[2] < velocities[3] && velocities[3] < velocities[1]);
    }

    #[test]
    fn equal_positions_are_not_ranked_by_their_place_in_the_song() {
        // All on downbeats: with full follow only dice are left to tell them apart.
        let hits: Vec<u8> = vec![100; 16 * 32];
        let played = play(&sixteenths(&hits), Action::Shape(shape(100.0)));
        let downbeats: Vec<u8> = played.iter().step_by(16).map(|hit| hit.velocity.get()).collect();
        assert!(downbeats.windows(2).any(|pair| pair[1] < pair[0]), "a crescendo through the song: {downbeats:?}");
    }
}
