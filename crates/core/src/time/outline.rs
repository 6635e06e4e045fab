//! The bars of a song that was begun here: how many, in which metre, how fast.

use crate::base::units::{Ppq, Ticks};
use crate::time::metre::{Metre, MetreMap};
use crate::time::tempo::TempoMap;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A tempo that holds from a bar on.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct TempoFrom {
    /// From 1.
    pub bar: u32,
    /// Quarter notes a minute, 20 to 400.
    pub bpm: f64,
}

/// A metre that holds from a bar on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct MetreFrom {
    /// From 1.
    pub bar: u32,
    /// As in 7/8.
    pub metre: String,
}

/// What a song of one's own is besides its hits. Its first tempo and metre begin in bar 1.
///
/// ```
/// use vivida_core::{Outline, Ticks};
/// let outline = Outline::plain(8, 100.0, "4/4");
/// assert_eq!(outline.check(), Ok(()));
/// let (_, metre) = outline.maps();
/// assert_eq!(outline.end(&metre), Ticks(8.0 * 3840.0));
/// ```
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Outline {
    /// 1 to 2000.
    pub bars: u32,
    /// In order of their bars, the first in bar 1.
    pub tempos: Vec<TempoFrom>,
    /// In order of their bars, the first in bar 1.
    pub metres: Vec<MetreFrom>,
}

impl Outline {
    /// The most bars of a song that is begun here.
    pub const MOST_BARS: u32 = 2000;
    /// The resolution of songs that are begun here.
    pub const PPQ: u32 = 960;

    /// So many bars in one metre at one tempo.
    pub fn plain(bars: u32, bpm: f64, metre: &str) -> Outline {
        Outline {
            bars,
            tempos: vec![TempoFrom { bar: 1, bpm }],
            metres: vec![MetreFrom { bar: 1, metre: metre.to_owned() }],
        }
    }

    /// That of a song with these maps; a tempo that changes within a bar holds from its next bar line on.
    pub fn of(bars: u32, tempo: &TempoMap, metre: &MetreMap) -> Outline {
        let mut tempos: Vec<TempoFrom> = Vec::new();
        for (at, bpm) in tempo.changes() {
            let within = metre.bar_at(at);
            let bar = if at.0 > within.start.0 + 0.5 { within.number + 1 } else { within.number };
            // As it was said: a tempo is kept in whole microseconds.
            let bpm = (bpm * 100.0).round() / 100.0;
            tempos.retain(|one| one.bar != bar);
            tempos.push(TempoFrom { bar, bpm });
        }
        let metres = metre.changes().map(|(bar, metre)| MetreFrom { bar, metre: metre.to_string() }).collect();
        Outline { bars, tempos, metres }
    }

    /// Whether there can be such a song.
    ///
    /// # Errors
    ///
    /// The field that is wrong, by its path, and why.
    pub fn check(&self) -> Result<(), (String, String)> {
        let no = |field: String, message: String| Err((field, message));
        if !(1..=Outline::MOST_BARS).contains(&self.bars) {
            let message = format!("a song that begins here has 1 to {} bars, not {}", Outline::MOST_BARS, self.bars);
            return no("bars".to_owned(), message);
        }
        let bars = [
            ("tempos", self.tempos.iter().map(|one| one.bar).collect::<Vec<u32>>()),
            ("metres", self.metres.iter().map(|one| one.bar).collect()),
        ];
        for (field, bars) in bars {
            if bars.first() != Some(&1) {
                return no(field.to_owned(), "the first one holds from bar 1 on".to_owned());
            }
            if let Some(place) = (1..bars.len()).find(|&place| bars[place] <= bars[place - 1]) {
                return no(format!("{field}[{place}].bar"), "they stand in the order of their bars".to_owned());
            }
            if let Some(place) = bars.iter().position(|&bar| bar > self.bars) {
                let message = format!("bar {} is behind the last, which is {}", bars[place], self.bars);
                return no(format!("{field}[{place}].bar"), message);
            }
        }
        if let Some(place) = self.tempos.iter().position(|one| !(20.0..=400.0).contains(&one.bpm)) {
            let message = format!("{} is outside 20 to 400 bpm", self.tempos[place].bpm);
            return no(format!("tempos[{place}].bpm"), message);
        }
        if let Some(place) = self.metres.iter().position(|one| read_metre(&one.metre).is_none()) {
            let message = format!(
                "“{}” is no metre: write 1 to 32 over 1, 2, 4, 8, 16 or 32, as in 7/8",
                self.metres[place].metre
            );
            return no(format!("metres[{place}].metre"), message);
        }
        Ok(())
    }

    /// Its tempo and metre maps. What is no metre is left out.
    pub fn maps(&self) -> (TempoMap, MetreMap) {
        let ppq = Ppq::new(Outline::PPQ).expect("not 0");
        let mut changes: Vec<(Ticks, Metre)> = Vec::new();
        for MetreFrom { bar, metre } in &self.metres {
            let Some(metre) = read_metre(metre) else { continue };
            let at = MetreMap::new(ppq, changes.iter().cloned()).bar(*bar).start;
            changes.push((at, metre));
        }
        let metre = MetreMap::new(ppq, changes);
        let at = |one: &TempoFrom| (metre.bar(one.bar).start, micros(one.bpm));
        (TempoMap::new(ppq, self.tempos.iter().map(at)), metre)
    }

    /// Where it ends, by its metre map.
    pub fn end(&self, metre: &MetreMap) -> Ticks {
        metre.bar(self.bars + 1).start
    }
}

/// The microseconds of a quarter note.
pub fn micros(bpm: f64) -> u32 {
    (60e6 / bpm).round() as u32
}

fn read_metre(text: &str) -> Option<Metre> {
    let (numerator, denominator) = text.split_once('/')?;
    let (numerator, denominator) = (numerator.trim().parse().ok()?, denominator.trim().parse().ok()?);
    if numerator > 32 || denominator > 32 { None } else { Metre::new(numerator, denominator) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn changes_lie_on_bar_lines() {
        let outline = Outline {
            bars: 6,
            tempos: vec![TempoFrom { bar: 1, bpm: 100.0 }, TempoFrom { bar: 4, bpm: 50.0 }],
            metres: vec![
                MetreFrom { bar: 1, metre: "4/4".into() },
                MetreFrom { bar: 3, metre: "7/8".into() },
                MetreFrom { bar: 5, metre: "3/4".into() },
            ],
        };
        assert_eq!(outline.check(), Ok(()));
        let (tempo, metre) = outline.maps();
        assert_eq!(metre.bar(3).start, Ticks(7680.0));
        assert_eq!(metre.bar(5).start, Ticks(7680.0 + 2.0 * 3360.0));
        assert_eq!(outline.end(&metre), Ticks(7680.0 + 6720.0 + 2.0 * 2880.0));
        assert!((tempo.bpm(Ticks(7680.0 + 3360.0)) - 50.0).abs() < 1e-6);
        assert_eq!(Outline::of(6, &tempo, &metre), outline);
    }

    #[test]
    fn what_cannot_be_is_named() {
        let good = Outline::plain(8, 100.0, "4/4");
        let wrong = |change: fn(&mut Outline)| {
            let mut outline = good.clone();
            change(&mut outline);
            outline.check().unwrap_err().0
        };
        assert_eq!(wrong(|one| one.bars = 0), "bars");
        assert_eq!(wrong(|one| one.bars = 2001), "bars");
        assert_eq!(wrong(|one| one.tempos.clear()), "tempos");
        assert_eq!(wrong(|one| one.tempos[0].bpm = f64::NAN), "tempos[0].bpm");
        assert_eq!(wrong(|one| one.tempos[0].bpm = 19.0), "tempos[0].bpm");
        assert_eq!(wrong(|one| one.metres[0].metre = "4/5".into()), "metres[0].metre");
        assert_eq!(wrong(|one| one.metres[0].metre = "0/4".into()), "metres[0].metre");
        assert_eq!(wrong(|one| one.metres.push(MetreFrom { bar: 9, metre: "3/4".into() })), "metres[1].bar");
        assert_eq!(wrong(|one| one.metres.push(MetreFrom { bar: 1, metre: "3/4".into() })), "metres[1].bar");
    }
}
