//! Sampler definitions in the SFZ text format: which file plays which keys and velocities.
//!
//! Understood are `<control>`, `<global>`, `<master>`, `<group>` and `<region>` with `sample`, `default_path`,
//! `key`, `lokey`, `hikey`, `note_offset`, `octave_offset`, `lovel`, `hivel`, `seq_position`, `seq_length`,
//! `lorand`, `hirand`, `volume`, `pan`, `amp_veltrack`, `group`, `off_by` and `trigger`, and the directives
//! `#include` and `#define`. All else is passed over, and said.

use std::collections::{BTreeMap, HashMap};
use std::ops::{Bound, RangeInclusive};
use thiserror::Error;

/// One region: a sample and when it is played.
#[derive(Clone, Debug, PartialEq)]
pub struct Region {
    /// Its file, from the folder that was looked through, with `/` between folders.
    pub path: String,
    /// The keys that play it.
    pub keys: RangeInclusive<u8>,
    /// The velocities.
    pub velocities: RangeInclusive<u8>,
    /// Which of how many take turns.
    pub turn: (u16, u16),
    /// In dB.
    pub volume: f64,
    /// −100 to 100.
    pub pan: f64,
    /// How far its loudness follows the velocity, in per cent.
    pub track: f64,
    /// The group that it belongs to.
    pub group: Option<u32>,
    /// The group that ends it.
    pub off_by: Option<u32>,
}

/// What was read.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Sfz {
    /// In their order.
    pub regions: Vec<Region>,
    /// Sentences: what was left alone.
    pub said: Vec<String>,
}

/// Why it cannot be used. Each is the end of a sentence that begins with the file's name.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum SfzError {
    /// Neither itself nor what it includes has one.
    #[error("has no region with a sample; is it an SFZ file?")]
    NoRegion,
    /// More than any kit has.
    #[error("has more than {} regions; a kit takes no more", Sfz::MOST_REGIONS)]
    TooMany,
    /// A circle.
    #[error("includes “{0}”, which includes itself; take that line out")]
    Circle(String),
    /// Files within files within files.
    #[error("includes “{0}”, which lies more than {most} includes deep; include it from further out", most = Sfz::DEEPEST)]
    TooDeep(String),
    /// A file of the folder that is not there.
    #[error("includes “{0}”, which is not in the folder; choose the whole folder")]
    NotThere(String),
    /// Of another folder.
    #[error("includes “{0}”, which lies outside its folder; move it there")]
    Outside(String),
    /// It goes on and on.
    #[error("is longer than {} MB with all that it includes", Sfz::MOST_TEXT >> 20)]
    TooLong,
}

impl Sfz {
    /// Files are included in files that are included no deeper.
    pub const DEEPEST: usize = 32;
    /// No file has more regions.
    pub const MOST_REGIONS: usize = 5000;
    /// No file has more text, with all that it includes, in bytes.
    pub const MOST_TEXT: usize = 8 << 20;

    /// Reads a file of a folder. `text_of` gives the text of a file by its path in there.
    ///
    /// # Errors
    ///
    /// [`SfzError`].
    ///
    /// ```
    /// use vivida_audio::Sfz;
    /// let text = "<group> key=38 off_by=1 <region> sample=soft snare.wav hivel=60 <region> sample=hard.wav lovel=61";
    /// let read = Sfz::read("kit.sfz", |_| Some(text.to_owned())).unwrap();
    /// assert_eq!(read.regions[0].path, "soft snare.wav");
    /// assert_eq!(read.regions[1].velocities, 61..=127);
    /// ```
    pub fn read(path: &str, text_of: impl Fn(&str) -> Option<String>) -> Result<Sfz, SfzError> {
        let mut lines = Lines { text_of: &text_of, all: String::new(), defined: BTreeMap::new(), read: 0 };
        lines.take_in(path, &mut Vec::new())?;
        let mut reading = Reading::new(folder_of(path));
        for token in tokens(&lines.all) {
            reading.take(token)?;
        }
        reading.done()
    }
}

fn folder_of(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// A path from a folder, without `.` and `..`; nothing where it leads out of all folders that there are.
pub(crate) fn within(folder: &str, path: &str) -> Option<String> {
    let path = path.replace('\\', "/");
    if path.starts_with('/') || path.as_bytes().get(1) == Some(&b':') {
        return None;
    }
    let mut parts: Vec<&str> = Vec::new();
    for part in folder.split('/').chain(path.split('/')) {
        match part {
            "" | "." => {}
            ".." => _ = parts.pop()?,
            part => parts.push(part),
        }
    }
    Some(parts.join("/"))
}

/// All text, with what is included in its place.
struct Lines<'a> {
    text_of: &'a dyn Fn(&str) -> Option<String>,
    all: String,
    /// Names that begin with `$`, and what they stand for.
    defined: BTreeMap<String, String>,
    read: usize,
}

impl Lines<'_> {
    fn take_in(&mut self, path: &str, within_files: &mut Vec<String>) -> Result<(), SfzError> {
        if within_files.iter().any(|one| one.eq_ignore_ascii_case(path)) {
            return Err(SfzError::Circle(path.to_owned()));
        }
        if within_files.len() >= Sfz::DEEPEST {
            return Err(SfzError::TooDeep(path.to_owned()));
        }
        let text = (self.text_of)(path).ok_or_else(|| SfzError::NotThere(path.to_owned()))?;
        self.read += text.len();
        if self.read > Sfz::MOST_TEXT {
            return Err(SfzError::TooLong);
        }
        within_files.push(path.to_owned());
        for line in without_comments(&text).lines() {
            let trimmed = line.trim_start();
            if let Some(rest) = trimmed.strip_prefix("#include") {
                let name = rest.trim().trim_matches('"');
                let included = within(folder_of(&within_files[0]), &self.with_defined(name)?);
                let included = included.ok_or_else(|| SfzError::Outside(name.to_owned()))?;
                self.take_in(&included, within_files)?;
                continue;
            }
            let mut rest = trimmed;
            while let Some(definition) = rest.strip_prefix("#define") {
                let mut words = definition.trim_start().splitn(3, char::is_whitespace);
                if let (Some(name), Some(value)) = (words.next().filter(|name| name.starts_with('$')), words.next()) {
                    let value = self.with_defined(value)?;
                    self.defined.insert(name.to_owned(), value);
                }
                rest = words.next().unwrap_or("").trim_start();
            }
            let line = self.with_defined(rest)?;
            if self.all.len() + line.len() > Sfz::MOST_TEXT {
                return Err(SfzError::TooLong);
            }
            self.all.push_str(&line);
            self.all.push('\n');
        }
        within_files.pop();
        Ok(())
    }

    fn with_defined(&self, line: &str) -> Result<String, SfzError> {
        let (mut written, mut rest) = (String::with_capacity(line.len()), line);
        while let Some(at) = rest.find('$') {
            let (before, behind) = rest.split_at(at);
            written.push_str(before);
            // A dollar that begins no name is one.
            let (name, value) = self.longest_name(behind).unwrap_or(("$", "$"));
            written.push_str(value);
            if written.len() > Sfz::MOST_TEXT {
                return Err(SfzError::TooLong);
            }
            rest = &behind[name.len()..];
        }
        written.push_str(rest);
        Ok(written)
    }

    /// The longest name that a text begins with, and what it stands for.
    fn longest_name(&self, text: &str) -> Option<(&str, &str)> {
        let mut prefix = text;
        loop {
            // In order of names, one that is the beginning of another comes before it.
            let (name, value) =
                self.defined.range::<str, _>((Bound::Unbounded, Bound::Included(prefix))).next_back()?;
            if prefix.starts_with(name.as_str()) {
                return Some((name, value));
            }
            let alike = name.char_indices().zip(prefix.chars()).find(|((_, one), other)| one != other);
            let alike = alike.map_or(name.len().min(prefix.len()), |((at, _), _)| at);
            prefix = &prefix[..alike];
        }
    }
}

/// `//` to the end of a line, `/* … */` over lines.
fn without_comments(text: &str) -> String {
    let mut kept = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('/') {
        let (before, behind) = rest.split_at(at);
        kept.push_str(before);
        if behind.starts_with("//") {
            rest = &behind[behind.find(['\n', '\r']).unwrap_or(behind.len())..];
        } else if let Some(comment) = behind.strip_prefix("/*") {
            kept.push(' ');
            rest = comment.find("*/").map_or("", |end| &comment[end + 2..]);
        } else {
            kept.push('/');
            rest = &behind[1..];
        }
    }
    kept.push_str(rest);
    kept
}

#[derive(Debug, PartialEq)]
enum Token<'a> {
    Header(&'a str),
    Opcode(&'a str, &'a str),
}

/// Headers and opcodes. A value goes on to the next opcode or header: names of files have blanks.
fn tokens(text: &str) -> impl Iterator<Item = Token<'_>> {
    text.lines().flat_map(line_tokens)
}

fn line_tokens(line: &str) -> Vec<Token<'_>> {
    let mut found = Vec::new();
    let mut rest = line.trim();
    while !rest.is_empty() {
        if let Some(header) = rest.strip_prefix('<') {
            let Some((name, behind)) = header.split_once('>') else { break };
            found.push(Token::Header(name.trim()));
            rest = behind.trim_start();
            continue;
        }
        let Some((name, behind)) = rest.split_once('=') else { break };
        let end = end_of_value(behind);
        // What stood before it without a meaning is no part of its name.
        let name = name.rsplit(char::is_whitespace).next().unwrap_or(name);
        found.push(Token::Opcode(name, behind[..end].trim()));
        rest = behind[end..].trim_start();
    }
    found
}

/// Where a value ends: at a header, or before the name of the next opcode.
fn end_of_value(text: &str) -> usize {
    // Where the word begins that is being read, and whether it may be a name.
    let (mut blank, mut is_name, mut letters) = (None, true, 0);
    for (at, letter) in text.char_indices() {
        match letter {
            '<' => return at,
            '=' if is_name && letters > 0 && blank.is_some() => return blank.unwrap_or(at),
            letter if letter.is_whitespace() => (blank, is_name, letters) = (Some(at), true, 0),
            letter => {
                is_name &= letter.is_ascii_alphanumeric() || matches!(letter, '_' | '#');
                letters += 1;
            }
        }
    }
    text.len()
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Level {
    Control,
    Global,
    Master,
    Group,
    Region,
    Other,
}

type Opcodes<'a> = HashMap<&'a str, &'a str>;

struct Reading<'a> {
    folder: &'a str,
    level: Level,
    control: Opcodes<'a>,
    /// Of `<global>`, `<master>`, `<group>` and `<region>`.
    opcodes: [Opcodes<'a>; 4],
    regions: Vec<Region>,
    /// What was left alone, and how often.
    left: BTreeMap<String, usize>,
}

const KNOWN: [&str; 19] = [
    "sample",
    "key",
    "lokey",
    "hikey",
    "lovel",
    "hivel",
    "seq_position",
    "seq_length",
    "lorand",
    "hirand",
    "volume",
    "pan",
    "amp_veltrack",
    "group",
    "off_by",
    "trigger",
    "polyphony_group",
    "pitch_keycenter",
    "loop_mode",
];

impl<'a> Reading<'a> {
    fn new(folder: &'a str) -> Reading<'a> {
        let (regions, left) = (Vec::new(), BTreeMap::new());
        Reading { folder, level: Level::Other, control: HashMap::new(), opcodes: Default::default(), regions, left }
    }

    fn leave(&mut self, what: impl Into<String>) {
        *self.left.entry(what.into()).or_default() += 1;
    }

    fn take(&mut self, token: Token<'a>) -> Result<(), SfzError> {
        match token {
            Token::Header(name) => {
                self.end_region()?;
                let (level, first) = match name {
                    "control" => (Level::Control, 4),
                    "global" => (Level::Global, 0),
                    "master" => (Level::Master, 1),
                    "group" => (Level::Group, 2),
                    "region" => (Level::Region, 3),
                    _ => {
                        self.leave(format!("<{name}>"));
                        (Level::Other, 4)
                    }
                };
                self.level = level;
                // What holds further in begins anew.
                self.opcodes.iter_mut().skip(first).for_each(HashMap::clear);
            }
            Token::Opcode(name, value) => match self.level {
                Level::Control => {
                    if !matches!(name, "default_path" | "note_offset" | "octave_offset") {
                        self.leave(name.to_lowercase());
                    }
                    self.control.insert(name, value);
                }
                Level::Other => {}
                level => {
                    if !KNOWN.contains(&name) {
                        self.leave(name.to_lowercase());
                    }
                    self.opcodes[level as usize - Level::Global as usize].insert(name, value);
                }
            },
        }
        Ok(())
    }

    fn value(&self, name: &str) -> Option<&'a str> {
        self.opcodes.iter().rev().find_map(|level| level.get(name)).copied()
    }

    fn number(&self, name: &str) -> Option<f64> {
        self.value(name)?.parse().ok().filter(|value: &f64| value.is_finite())
    }

    fn key(&self, name: &str) -> Option<i32> {
        let key = key_of(self.value(name)?)?;
        let offset = |name| self.control.get(name).and_then(|text| text.parse::<i32>().ok()).unwrap_or(0);
        let (notes, octaves) = (offset("note_offset").clamp(-127, 127), offset("octave_offset").clamp(-10, 10));
        Some(if key < 0 { key } else { key + notes + 12 * octaves })
    }

    fn end_region(&mut self) -> Result<(), SfzError> {
        if self.level != Level::Region {
            return Ok(());
        }
        self.level = Level::Other;
        let Some(sample) = self.value("sample") else {
            self.leave("a region without a sample");
            return Ok(());
        };
        if sample.starts_with('*') {
            self.leave(format!("the generator {sample}"));
            return Ok(());
        }
        if let Some(trigger) = self.value("trigger").filter(|trigger| *trigger != "attack") {
            self.leave(format!("regions with trigger={trigger}"));
            return Ok(());
        }
        if let Some(how) = self.value("loop_mode").filter(|how| how.starts_with("loop")) {
            self.leave(format!("loop_mode={how}; samples of strokes ring out"));
        }
        let prefix = self.control.get("default_path").copied().unwrap_or("");
        let Some(path) = within(self.folder, &format!("{prefix}{sample}")) else {
            self.leave(format!("“{sample}”, which lies outside the folder"));
            return Ok(());
        };
        // A key for all; its bounds where it has some of its own.
        let key = self.key("key");
        let [low, high] = [self.key("lokey").or(key).unwrap_or(0), self.key("hikey").or(key).unwrap_or(127)];
        let [soft, hard] = ["lovel", "hivel"].map(|name| self.number(name));
        let [soft, hard] = [soft.unwrap_or(1.0).clamp(1.0, 127.0), hard.unwrap_or(127.0).clamp(0.0, 127.0)];
        if low > high || high < 0 || low > 127 || soft > hard {
            self.leave("regions that no key or velocity plays");
            return Ok(());
        }
        let turn = self.turn();
        let group = |text: &str| text.parse::<f64>().ok().filter(|one| (1.0..=4e9).contains(one)).map(|one| one as u32);
        self.regions.push(Region {
            path,
            keys: low.clamp(0, 127) as u8..=high.clamp(0, 127) as u8,
            velocities: soft as u8..=hard as u8,
            turn,
            volume: self.number("volume").unwrap_or(0.0).clamp(-96.0, 24.0),
            pan: self.number("pan").unwrap_or(0.0).clamp(-100.0, 100.0),
            track: self.number("amp_veltrack").unwrap_or(100.0).clamp(0.0, 100.0),
            group: self.value("group").or(self.value("polyphony_group")).and_then(group),
            off_by: self.value("off_by").and_then(group),
        });
        if self.regions.len() > Sfz::MOST_REGIONS { Err(SfzError::TooMany) } else { Ok(()) }
    }

    /// Its place among the alternates. Those of chance take turns, too: so much of the way through them.
    fn turn(&mut self) -> (u16, u16) {
        let most = f64::from(vivida_core::Sample::MOST_TURNS);
        let [position, length] = ["seq_position", "seq_length"].map(|name| self.number(name).unwrap_or(1.0));
        let length = length.max(position).clamp(1.0, most) as u16;
        if length > 1 {
            return ((position.max(1.0) as u16).min(length), length);
        }
        let [low, high] = [self.number("lorand").unwrap_or(0.0), self.number("hirand").unwrap_or(1.0)];
        let share = high - low;
        if !(share > 1.0 / most && share < 0.999) {
            return (1, 1);
        }
        self.leave("lorand and hirand: these samples take turns");
        let count = (1.0 / share).round() as u16;
        (((low / share).round().clamp(0.0, most) as u16 + 1).min(count), count)
    }

    fn done(mut self) -> Result<Sfz, SfzError> {
        self.end_region()?;
        if self.regions.is_empty() {
            return Err(SfzError::NoRegion);
        }
        const MOST_SAID: usize = 40;
        let more = self.left.len().saturating_sub(MOST_SAID);
        let times = |(what, count): (String, usize)| match count {
            1 => format!("Not used: {what}."),
            _ => format!("Not used, {count} times: {what}."),
        };
        let mut said: Vec<String> = self.left.into_iter().take(MOST_SAID).map(times).collect();
        if more > 0 {
            said.push(format!("And {more} other things."));
        }
        Ok(Sfz { regions: self.regions, said })
    }
}

/// 60, or c4, C#4, db4; −1 is none.
fn key_of(text: &str) -> Option<i32> {
    if let Ok(number) = text.parse::<i32>() {
        return Some(number.clamp(-1, 127));
    }
    let text = text.to_lowercase();
    let step = match text.bytes().next()? {
        b'c' => 0,
        b'd' => 2,
        b'e' => 4,
        b'f' => 5,
        b'g' => 7,
        b'a' => 9,
        b'b' => 11,
        _ => return None,
    };
    let rest = &text[1..];
    let (by, octave) = match rest.strip_prefix('#') {
        Some(octave) => (1, octave),
        None => rest.strip_prefix('b').map_or((0, rest), |octave| (-1, octave)),
    };
    let octave: i32 = octave.parse().ok().filter(|octave| (-1..=9).contains(octave))?;
    Some(12 * (octave + 1) + step + by).filter(|key| (0..128).contains(key))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> Result<Sfz, SfzError> {
        Sfz::read("kits/one.sfz", |path| (path == "kits/one.sfz").then(|| text.to_owned()))
    }

    #[test]
    fn what_stands_further_out_holds_further_in() {
        let text = "// A kit\n<control> default_path=wav\\ note_offset=12\n<global> volume=-6 pan=10\n\
                    <group> key=c2 seq_length=2 group=1 off_by=2 /* two\nlines */\n\
                    <region> sample=kick one.wav seq_position=1 hivel=64\n<region> seq_position=2 pan=-20 sample=kick two.wav\n\
                    <group>\n<region>sample=snare.wav key=38";
        let read = read(text).unwrap();
        let [one, two, three] = &read.regions[..] else { panic!("{read:?}") };
        assert_eq!((one.path.as_str(), one.keys.clone(), one.turn), ("kits/wav/kick one.wav", 48..=48, (1, 2)));
        assert_eq!((one.velocities.clone(), one.volume, one.pan), (1..=64, -6.0, 10.0));
        assert_eq!((one.group, one.off_by), (Some(1), Some(2)));
        assert_eq!((two.turn, two.pan, two.velocities.clone()), ((2, 2), -20.0, 1..=127));
        assert_eq!((three.keys.clone(), three.turn, three.group), (50..=50, (1, 1), None));
        assert_eq!(read.said, Vec::<String>::new());
    }

    #[test]
    fn files_are_included_and_words_defined() {
        let files = HashMap::from([
            ("a.sfz", "#define $KEY 38\n#define $DIR snare\n#include \"parts/b.sfz\"\n<region> sample=c.wav"),
            ("parts/b.sfz", "<group> key=$KEY\n<region> sample=$DIR/one.wav"),
        ]);
        let read = Sfz::read("a.sfz", |path| files.get(path).map(|text| (*text).to_owned())).unwrap();
        let paths: Vec<&str> = read.regions.iter().map(|one| one.path.as_str()).collect();
        assert_eq!(paths, ["snare/one.wav", "c.wav"]);
        assert!(read.regions.iter().all(|one| one.keys == (38..=38)));
    }

    #[test]
    fn what_cannot_be_is_said() {
        assert_eq!(read("").unwrap_err(), SfzError::NoRegion);
        assert_eq!(read("a text about nothing = at all").unwrap_err(), SfzError::NoRegion);
        assert_eq!(read("#include \"one.sfz\"").unwrap_err(), SfzError::Circle("kits/one.sfz".to_owned()));
        assert_eq!(read("#include \"two.sfz\"").unwrap_err(), SfzError::NotThere("kits/two.sfz".to_owned()));
        assert_eq!(read("#include \"../../two.sfz\"").unwrap_err(), SfzError::Outside("../../two.sfz".to_owned()));
        assert_eq!(read("<region> sample=/etc/passwd").unwrap_err(), SfzError::NoRegion);
        let many = "<region> sample=a.wav key=36\n".repeat(100_000);
        assert_eq!(read(&many).unwrap_err(), SfzError::TooMany);
        let said = read("<region> sample=../../a.wav\n<region> sample=C:\\b.wav\n<region> sample=c.wav cutoff=200 fil_type=lpf\n<curve> v1=2\n<region> sample=*sine").unwrap();
        assert_eq!(said.regions.len(), 1);
        assert_eq!(said.said.len(), 6, "{:?}", said.said);
    }

    /// Lines that took time by their square: the work is counted by what is read.
    #[test]
    fn long_lines_and_many_words_take_no_longer_than_their_length() {
        let many = 200_000;
        let equals = format!("<region> sample=a.wav{}", "=".repeat(many));
        assert_eq!(read(&equals).unwrap().regions[0].path.len(), "kits/a.wav".len() + many);
        let opcodes = format!("<region> sample=a.wav {}", "volume=1 ".repeat(many / 4));
        assert_eq!(read(&opcodes).unwrap().regions[0].volume, 1.0);
        let defines: String = (0..20_000).map(|number| format!("#define $word{number} {number}\n")).collect();
        let used = format!("{defines}<region> sample=$word19999.wav {}", "key=$word60 ".repeat(20_000));
        let found = read(&used).unwrap();
        assert_eq!((found.regions[0].path.as_str(), &found.regions[0].keys), ("kits/19999.wav", &(60..=60)));
    }

    #[test]
    fn the_longest_name_is_meant() {
        let text = "#define $a x\n#define $ab y\n#define $abcd z\n<region> sample=$a-$ab-$abc-$abcd-$b-$.wav";
        assert_eq!(read(text).unwrap().regions[0].path, "kits/x-y-yc-z-$b-$.wav");
    }

    #[test]
    fn deep_is_no_circle() {
        let text_of = |path: &str| {
            let number: u32 = path.trim_end_matches(".sfz").parse().ok()?;
            Some(format!("#include \"{}.sfz\"", number + 1))
        };
        assert_eq!(Sfz::read("0.sfz", text_of), Err(SfzError::TooDeep("32.sfz".to_owned())));
    }

    #[test]
    fn words_do_not_grow_without_bounds() {
        let mut text = "#define $A0 xxxxxxxxxxxxxxxx\n".to_owned();
        for level in 1..40 {
            let before = level - 1;
            text.push_str(&format!("#define $A{level} {}\n", format!("$A{before}").repeat(16)));
        }
        assert_eq!(read(&format!("{text}<region> sample=$A39")).unwrap_err(), SfzError::TooLong);
    }

    #[test]
    fn samples_of_chance_take_turns() {
        let text = "<group> key=38\n<region> sample=a.wav hirand=0.25\n<region> sample=b.wav lorand=0.25 hirand=0.5\n\
                    <region> sample=c.wav lorand=0.5 hirand=0.75\n<region> sample=d.wav lorand=0.75";
        let turns: Vec<(u16, u16)> = read(text).unwrap().regions.iter().map(|one| one.turn).collect();
        assert_eq!(turns, [(1, 4), (2, 4), (3, 4), (4, 4)]);
    }

    #[test]
    fn keys_have_names() {
        assert_eq!(["c4", "C#4", "db4", "c-1", "g9", "60"].map(key_of), [60, 61, 61, 0, 127, 60].map(Some));
        assert_eq!(["h4", "", "c", "g#9"].map(key_of), [None; 4]);
    }
}
