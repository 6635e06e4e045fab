//! Kits as files: checked, read and written.

use crate::base::field_error::FieldError;
use crate::base::units::{Channel, Note, Velocity};
use crate::kit::chart::MOST_INSTRUMENTS;
use crate::kit::sample::Sample;
use crate::kit::{Instrument, InstrumentId, Kit};
use serde::Serialize;
use serde_json::Value;
use std::collections::{HashMap, HashSet};

/// A kit as a file: `vivida-kit`, version 2; version 1 where it has no own sounds.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct KitFile {
    format: &'static str,
    version: u32,
    /// Its name and instruments.
    #[serde(flatten)]
    pub kit: Kit,
}

impl KitFile {
    /// The version of the kit format that this build reads and writes.
    pub const VERSION: u32 = 2;

    /// A file of the lowest version that can hold it.
    pub fn new(kit: Kit) -> KitFile {
        let version = if kit.samples().next().is_some() { KitFile::VERSION } else { 1 };
        KitFile { format: "vivida-kit", version, kit }
    }

    /// From the text of a file.
    ///
    /// ```
    /// use vivida_core::KitFile;
    /// let text = r#"{"format": "vivida-kit", "version": 1, "name": "Mine", "instruments": []}"#;
    /// assert_eq!(KitFile::parse(text).unwrap_err().to_string(), "instruments: a kit has 1 to 256 instruments, this one has 0");
    /// ```
    pub fn parse(text: &str) -> Result<KitFile, FieldError> {
        let value: Value = serde_json::from_str(text)
            .map_err(|error| FieldError::new(format!("line {}", error.line()), crate::refused(&error)))?;
        let Value::Object(mut fields) = value else {
            return Err(FieldError::new(".", "a kit is a JSON object"));
        };
        if fields.remove("format").as_ref().and_then(Value::as_str) != Some("vivida-kit") {
            return Err(FieldError::new("format", "expected \"vivida-kit\""));
        }
        match fields.remove("version").as_ref().and_then(Value::as_u64) {
            Some(version) if (1..=u64::from(KitFile::VERSION)).contains(&version) => {}
            Some(version) if version > u64::from(KitFile::VERSION) => {
                let message =
                    format!("version {version} is newer than this Vivida, which reads up to 2; update Vivida");
                return Err(FieldError::new("version", message));
            }
            _ => return Err(FieldError::new("version", "expected 1 or 2")),
        }
        Ok(KitFile::new(Kit::from_value(Value::Object(fields))?))
    }
}

const MOST_STROKES: usize = 64;
const LONGEST_NAME: usize = 80;

impl Kit {
    /// From JSON, every field checked.
    pub fn from_value(value: Value) -> Result<Kit, FieldError> {
        let kit: Kit = serde_path_to_error::deserialize(value)
            .map_err(|error| FieldError::new(error.path().to_string(), crate::refused(error.inner())))?;
        kit.check()?;
        Ok(kit)
    }

    /// What is wrong with it, where something is.
    pub fn check(&self) -> Result<(), FieldError> {
        checked_name("name", &self.name)?;
        let count = self.instruments.len();
        if !(1..=MOST_INSTRUMENTS).contains(&count) {
            let message = format!("a kit has 1 to {MOST_INSTRUMENTS} instruments, this one has {count}");
            return Err(FieldError::new("instruments", message));
        }
        let samples = self.samples().count();
        if samples > Sample::MOST {
            let message = format!("a kit has at most {} samples, this one has {samples}", Sample::MOST);
            return Err(FieldError::new("instruments", message));
        }
        let mut ids: HashSet<&InstrumentId> = HashSet::new();
        let mut notes: HashMap<(Note, Option<Channel>), String> = HashMap::new();
        for (place, instrument) in self.instruments.iter().enumerate() {
            let at = |field: &str| format!("instruments[{place}].{field}");
            instrument.check().map_err(|(field, message)| FieldError::new(at(&field), message))?;
            if !ids.insert(&instrument.id) {
                let message = format!("another instrument of the kit has the id “{}”", instrument.id);
                return Err(FieldError::new(at("id"), message));
            }
            for (stroke, way) in instrument.articulations.iter().enumerate() {
                let name = format!("{}, {}", instrument.name, way.name);
                if let Some(other) = notes.insert((way.note, way.channel), name) {
                    let channel =
                        way.channel.map_or(String::new(), |channel| format!(" on channel {}", channel.shown()));
                    let message = format!("note {}{channel} plays {other} already", way.note.get());
                    return Err(FieldError::new(at(&format!("articulations[{stroke}].note")), message));
                }
            }
        }
        Ok(())
    }
}

fn checked_name(path: &str, name: &str) -> Result<(), FieldError> {
    match name.chars().count() {
        1..=LONGEST_NAME if !name.trim().is_empty() => Ok(()),
        _ => Err(FieldError::new(path, format!("a name has 1 to {LONGEST_NAME} letters"))),
    }
}

impl Instrument {
    fn check(&self) -> Result<(), (String, String)> {
        let wrong = |field: &str, message: String| Err((field.to_owned(), message));
        checked_name("name", &self.name).map_err(|error| (error.path, error.message))?;
        if !(1..=LONGEST_NAME).contains(&self.id.as_str().chars().count()) {
            return wrong("id", format!("an id has 1 to {LONGEST_NAME} letters"));
        }
        if let Some(own) = self.id.together().next() {
            return wrong(
                "id",
                format!("“{}” stands for several instruments of recipes; take another, such as “{own}”", self.id),
            );
        }
        if !(1..=MOST_STROKES).contains(&self.articulations.len()) {
            let many = self.articulations.len();
            return wrong(
                "articulations",
                format!("an instrument has 1 to {MOST_STROKES} strokes, this one has {many}"),
            );
        }
        for (place, way) in self.articulations.iter().enumerate() {
            let at = format!("articulations[{place}].name");
            checked_name(&at, &way.name).map_err(|error| (error.path, error.message))?;
            for (nth, sample) in way.samples.iter().enumerate() {
                let at = |field: &str| format!("articulations[{place}].samples[{nth}].{field}");
                sample.check().map_err(|(field, message)| (at(field), message))?;
            }
            if self.articulations[..place].iter().any(|other| other.name == way.name && other.hand == way.hand) {
                return wrong(&at, format!("another stroke of it is called “{}” and is for the same hand", way.name));
            }
        }
        let bounds: Vec<Velocity> = self.layers.iter().map(|layer| layer.from).collect();
        if !(1..=32).contains(&bounds.len()) {
            return wrong("layers", format!("an instrument has 1 to 32 layers, this one has {}", bounds.len()));
        }
        if bounds[0] != Velocity::MIN {
            return wrong("layers[0].from", "the softest layer begins at velocity 1".to_owned());
        }
        if let Some(place) = bounds.windows(2).position(|pair| pair[0] >= pair[1]) {
            let (one, next) = (bounds[place].get(), bounds[place + 1].get());
            let message = format!(
                "layers overlap: one begins at {one} and the next at {next}; a layer begins above the one before it"
            );
            return wrong(&format!("layers[{}].from", place + 1), message);
        }
        for (place, layer) in self.layers.iter().enumerate() {
            let at = format!("layers[{place}].name");
            checked_name(&at, &layer.name).map_err(|error| (error.path, error.message))?;
            if self.layers[..place].iter().any(|other| other.name == layer.name) {
                return wrong(&at, format!("another layer is called “{}”", layer.name));
            }
        }
        if !(-126.0..=126.0).contains(&self.offset) {
            return wrong("offset", format!("{} is outside -126 to 126", self.offset));
        }
        if !(1.0..=400.0).contains(&self.scale.0) {
            return wrong("scale", format!("{} is outside 1 to 400 %", self.scale.0));
        }
        match &self.choke {
            Some(group) => checked_name("choke", group).map_err(|error| (error.path, error.message)),
            None => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn snare() -> Value {
        json!({"id": "snare", "name": "Snare", "family": "snare", "limb": "left-hand",
               "articulations": [{"name": "centre", "note": 38}, {"name": "rim", "note": 40, "hand": "left", "note_out": 33, "channel_out": 2}]})
    }

    fn kit(instruments: Vec<Value>) -> Value {
        json!({"format": "vivida-kit", "version": 1, "name": "Mine", "instruments": instruments})
    }

    #[test]
    fn a_kit_is_written_as_it_was_read() {
        let read = KitFile::parse(&kit(vec![snare()]).to_string()).unwrap();
        let again = KitFile::parse(&serde_json::to_string(&read).unwrap()).unwrap();
        assert_eq!(read, again);
        assert_eq!(read.kit.instruments[0].layers.len(), 4);
    }

    #[test]
    fn what_no_kit_can_be_is_refused_where_it_stands() {
        let with = |path: &str, value: Value| {
            let mut kit = kit(vec![snare()]);
            match kit.pointer_mut(path) {
                Some(place) => *place = value,
                None => {
                    let (parent, field) = path.rsplit_once('/').unwrap();
                    kit.pointer_mut(parent).unwrap()[field] = value;
                }
            }
            KitFile::parse(&kit.to_string()).unwrap_err().path
        };
        let layer = |name: &str, from: u8| json!({"name": name, "from": from});
        let stroke = "/instruments/0/articulations/1";
        let cases = [
            ("/name", json!(" "), "name"),
            ("/version", json!(3), "version"),
            ("/instruments/0/family", json!("gong"), "instruments[0].family"),
            ("/instruments/0/id", json!("crash"), "instruments[0].id"),
            ("/instruments/0/articulations", json!([]), "instruments[0].articulations"),
            (&format!("{stroke}/note"), json!(38), "instruments[0].articulations[1].note"),
            (&format!("{stroke}/note"), json!(128), "instruments[0].articulations[1].note"),
            (&format!("{stroke}/channel"), json!(16), "instruments[0].articulations[1].channel"),
            (&format!("{stroke}/channel_out"), json!(16), "instruments[0].articulations[1].channel_out"),
            (
                "/instruments/0/layers",
                json!([layer("a", 1), layer("b", 60), layer("c", 60)]),
                "instruments[0].layers[2].from",
            ),
            ("/instruments/0/layers", json!([layer("a", 2)]), "instruments[0].layers[0].from"),
            ("/instruments/0/layers", json!([]), "instruments[0].layers"),
            ("/instruments/0/layers", json!([layer("a", 1), layer("a", 9)]), "instruments[0].layers[1].name"),
            ("/instruments/0/offset", json!(200), "instruments[0].offset"),
            ("/instruments/0/scale", json!(0), "instruments[0].scale"),
            ("/instruments/0/choke", json!(""), "instruments[0].choke"),
            ("/instruments/0/colour", json!("red"), "instruments[0].colour"),
        ];
        for (path, value, field) in cases {
            assert_eq!(with(path, value.clone()), field, "{path} {value}");
        }
        let twice = KitFile::parse(&kit(vec![snare(), snare()]).to_string()).unwrap_err();
        assert_eq!(twice.path, "instruments[1].id");
        let mut other = snare();
        other["id"] = json!("other");
        other["name"] = json!("Other");
        let same_note = KitFile::parse(&kit(vec![snare(), other]).to_string()).unwrap_err();
        assert_eq!(same_note.to_string(), "instruments[1].articulations[0].note: note 38 plays Snare, centre already");
        let many: Vec<Value> = (0..257).map(|_| snare()).collect();
        assert_eq!(KitFile::parse(&kit(many).to_string()).unwrap_err().path, "instruments");
    }
}
