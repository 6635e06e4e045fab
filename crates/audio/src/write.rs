//! Sound out, as WAV.

use crate::RATE;
use crate::clip::Clip;
use hound::{SampleFormat, WavSpec, WavWriter};
use serde::{Deserialize, Serialize};
use std::io::{self, Cursor};
use ts_rs::TS;

/// How a sample is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
pub enum Depth {
    /// Whole numbers of 16 bits.
    #[default]
    #[serde(rename = "16")]
    Sixteen,
    /// Whole numbers of 24 bits.
    #[serde(rename = "24")]
    TwentyFour,
    /// Floating-point numbers of 32 bits: exactly as they are, also beyond full scale.
    #[serde(rename = "32f")]
    Float,
}

impl std::str::FromStr for Depth {
    type Err = String;
    fn from_str(text: &str) -> Result<Depth, String> {
        match text {
            "16" => Ok(Depth::Sixteen),
            "24" => Ok(Depth::TwentyFour),
            "32f" => Ok(Depth::Float),
            other => Err(format!("{other:?} is no depth; write 16, 24 or 32f")),
        }
    }
}

/// Writes a WAV file. A sample of full scale is −1 to 1; whole numbers are those that [`crate::read`] makes of a file of
/// the same depth, so that what was not touched comes out as it went in. What is louder is clipped, but for 32f.
///
/// # Errors
///
/// Where the result would be too large for a WAV file.
pub fn write_wav(clip: &Clip, depth: Depth) -> io::Result<Vec<u8>> {
    let (bits, sample_format) = match depth {
        Depth::Sixteen => (16, SampleFormat::Int),
        Depth::TwentyFour => (24, SampleFormat::Int),
        Depth::Float => (32, SampleFormat::Float),
    };
    let channels = clip.channels().len() as u16;
    let spec = WavSpec { channels, sample_rate: RATE, bits_per_sample: bits, sample_format };
    let mut bytes = Cursor::new(Vec::with_capacity(clip.frames() * clip.channels().len() * usize::from(bits) / 8 + 80));
    let failed = |error: hound::Error| io::Error::other(error.to_string());
    let mut writer = WavWriter::new(&mut bytes, spec).map_err(failed)?;
    let scale = libm::exp2(f64::from(bits - 1));
    for frame in 0..clip.frames() {
        for channel in clip.channels() {
            let value = channel[frame];
            match depth {
                Depth::Float => writer.write_sample(value),
                _ => writer.write_sample((f64::from(value) * scale).round().clamp(-scale, scale - 1.0) as i32),
            }
            .map_err(failed)?;
        }
    }
    writer.finalize().map_err(failed)?;
    Ok(bytes.into_inner())
}
