//! WAV files of 16 bits.

use vivida_sound::SAMPLE_RATE;

/// Of channels of equal length, −1 to 1.
pub fn wav(channels: &[Vec<f32>]) -> Vec<u8> {
    let count = channels.len() as u32;
    let frames = channels.first().map_or(0, Vec::len);
    let data = 2 * count * frames as u32;
    let mut bytes = b"RIFF".to_vec();
    bytes.extend((36 + data).to_le_bytes());
    bytes.extend(b"WAVEfmt \x10\0\0\0\x01\0");
    bytes.extend((count as u16).to_le_bytes());
    bytes.extend(SAMPLE_RATE.to_le_bytes());
    bytes.extend((2 * count * SAMPLE_RATE).to_le_bytes());
    bytes.extend((2 * count as u16).to_le_bytes());
    bytes.extend(b"\x10\0data");
    bytes.extend(data.to_le_bytes());
    for frame in 0..frames {
        for channel in channels {
            bytes.extend(((channel[frame] * 32768.0).round().clamp(-32768.0, 32767.0) as i16).to_le_bytes());
        }
    }
    bytes
}
