//! The lines that hits are played on: those that they were written for, unless passes made others of them.

use crate::base::units::Ticks;
use crate::kit::chart::Chart;
use crate::kit::meant::Meant;
use crate::part::graces::{Strike, graces};
use crate::part::hit::Part;
use crate::perform::{Context, Performance};
use crate::time::lines::Lines;
use crate::time::metre::MetreMap;
use crate::time::reference::{LineFinder, LinesFrom, keeps_places, lines_at, reference};
use std::borrow::Cow;

/// The lines of a performance.
#[derive(Clone, Debug)]
pub struct PlayedLines<'a> {
    meant: &'a Meant,
    /// For each instrument whose lines are not those that it was written for.
    others: Vec<(usize, Vec<LinesFrom>)>,
    /// For each written hit its line, in ticks.
    pub written: Cow<'a, [f64]>,
    /// Whether each hit is a grace note: the written ones, then those that passes made.
    pub graces: Vec<bool>,
}

impl<'a> PlayedLines<'a> {
    /// Those of a performance of a part.
    pub fn of(part: &Part, chart: &'a Chart, context: &Context<'_>, performance: &Performance) -> PlayedLines<'a> {
        let meant = chart.meant(part, context.metre, context.tempo);
        let graces = graces_of(chart, meant, context, performance);
        let mut found = PlayedLines { meant, others: Vec::new(), written: Cow::Borrowed(&meant.lines), graces };
        let moved =
            |&index: &usize| performance.written.get(index).is_some_and(|hit| hit.tick != part.hits()[index].tick);
        let is_moved = |&place: &usize| !meant.is_set(place) && chart.of_instrument(place).iter().any(moved);
        let places: Vec<usize> = (0..chart.kit.instruments.len()).filter(is_moved).collect();
        if places.is_empty() {
            return found;
        }
        let keeps_time = |index: &&usize| !found.graces[**index] && performance.written[**index].silenced.is_none();
        let ticks_of = |&place: &usize| {
            let own = chart.of_instrument(place).iter().filter(keeps_time);
            let mut ticks: Vec<f64> = own.map(|&index| performance.written[index].tick.0.max(0.0)).collect();
            ticks.sort_by(f64::total_cmp);
            ticks
        };
        let ticks: Vec<Vec<f64>> = places.iter().map(ticks_of).collect();
        let was: Vec<&[LinesFrom]> = places.iter().map(|&place| meant.of_drum(Some(place))).collect();
        let played = reference(context.metre, context.tempo, &ticks, Some(&was));
        for ((&place, ticks), now) in places.iter().zip(&ticks).zip(played) {
            if !ticks.is_empty() && now != meant.of_drum(Some(place)) {
                found.put(chart, context, performance, place, now);
            }
        }
        found
    }

    /// An instrument is played on other lines than it was written for.
    fn put(
        &mut self,
        chart: &Chart,
        context: &Context<'_>,
        performance: &Performance,
        place: usize,
        now: Vec<LinesFrom>,
    ) {
        let was = self.meant.of_drum(Some(place));
        let lines = self.written.to_mut();
        let mut finder = LineFinder::new(context.metre, &now);
        for &index in chart.of_instrument(place) {
            let of = self.meant.graces.head(index);
            let straight = self.meant.straight[of];
            let bar = context.metre.bar_at(Ticks(straight));
            let (was, now): (Lines, Lines) = (lines_at(was, bar.number), lines_at(&now, bar.number));
            // Where both divide the beat alike a hit keeps its place in it, however far it was moved.
            lines[index] = if keeps_places(&was, &now) {
                bar.start.0 + now.in_bar(&bar, context.metre.ppq()).swung(straight - bar.start.0)
            } else {
                finder.line(performance.written[of].tick.0.max(0.0)).0
            };
        }
        self.others.push((place, now));
    }

    /// The lines of an instrument, by its place in the kit.
    pub fn of_drum(&self, instrument: Option<usize>) -> &[LinesFrom] {
        let other = self.others.iter().find(|(place, _)| Some(*place) == instrument);
        other.map_or_else(|| self.meant.of_drum(instrument), |(_, lines)| lines)
    }

    /// Whether all drums are on the lines that they were written for.
    pub(crate) fn are_as_written(&self) -> bool {
        self.others.is_empty()
    }

    /// The written hits whose lines are not those that they were written for, and their lines.
    pub fn moved(&self) -> impl Iterator<Item = (usize, Ticks)> {
        let of = match &self.written {
            Cow::Borrowed(_) => &[][..],
            Cow::Owned(lines) => lines.as_slice(),
        };
        let moved = of.iter().zip(&self.meant.lines).enumerate().filter(|(_, (now, was))| now != was);
        moved.map(|(index, (now, _))| (index, Ticks(*now)))
    }

    /// Where the line of a written hit would lie if all was straight.
    pub(crate) fn straight(&self, index: usize) -> Ticks {
        Ticks(self.meant.straight[index])
    }

    /// The line of a hit that a pass made, by where it belongs, and where that would lie if all was straight.
    pub fn of_made(&self, context: &Context<'_>, instrument: Option<usize>, anchor: Ticks) -> (Ticks, Ticks) {
        // Where it belongs was found on the lines that were written.
        let (was, now) = (self.meant.of_drum(instrument), self.of_drum(instrument));
        let straight = LineFinder::new(context.metre, was).line(anchor.0).1;
        let bar = context.metre.bar_at(Ticks(straight));
        let (was, now) = (lines_at(was, bar.number), lines_at(now, bar.number));
        let line = if keeps_places(&was, &now) {
            Ticks(bar.start.0 + now.in_bar(&bar, context.metre.ppq()).swung(straight - bar.start.0))
        } else {
            now.nearest(context.metre, anchor)
        };
        (line, Ticks(straight))
    }

    /// The lines of an instrument from one position to another, in ticks; of more than `most` none.
    pub fn ticks(&self, metre: &MetreMap, instrument: usize, from: Ticks, to: Ticks, most: usize) -> Vec<f64> {
        let stretches = self.of_drum(Some(instrument));
        let mut found = Vec::new();
        let (mut bar, last) = (metre.bar_at(from).number, metre.bar_at(to).number);
        while bar <= last && found.len() <= most {
            found.extend(lines_at(stretches, bar).of_bar(metre, bar));
            bar += 1;
        }
        found.retain(|tick| (from.0..=to.0).contains(tick));
        if found.len() > most { Vec::new() } else { found }
    }

    /// The line of a hit that a pass made, by where it belongs.
    pub fn line(&self, context: &Context<'_>, instrument: Option<usize>, anchor: Ticks) -> Ticks {
        self.of_made(context, instrument, anchor).0
    }
}

/// Whether each hit of a performance is a grace note. Without any that was made they are those that were written.
fn graces_of(chart: &Chart, meant: &Meant, context: &Context<'_>, performance: &Performance) -> Vec<bool> {
    let mut of: Vec<bool> = meant.graces.of.iter().map(Option::is_some).collect();
    if performance.made.is_empty() {
        return of;
    }
    of.resize(of.len() + performance.made.len(), false);
    let mut drums: Vec<Vec<(usize, Strike)>> = vec![Vec::new(); chart.kit.instruments.len()];
    let mut adds = vec![false; drums.len()];
    for (index, hit) in performance.hits().enumerate().filter(|(_, hit)| hit.silenced.is_none()) {
        let Some(place) = chart.instrument_of(hit.note, hit.channel) else { continue };
        adds[place] |= index >= performance.written.len();
        let at = context.tempo.seconds(hit.tick);
        drums[place].push((index, Strike { at, velocity: f64::from(hit.velocity.get()) }));
    }
    for (mut hits, _) in drums.into_iter().zip(adds).filter(|(_, adds)| *adds) {
        hits.sort_by(|a, b| a.1.at.total_cmp(&b.1.at));
        let strikes: Vec<Strike> = hits.iter().map(|(_, strike)| *strike).collect();
        for ((index, _), head) in hits.iter().zip(graces(&strikes)) {
            of[*index] |= head.is_some();
        }
    }
    of
}
