//! What is wrong with JSON, in words for people instead of the parser's.

use serde_json::error::Category;

/// Why JSON was refused, in one sentence without a full stop. What Vivida's own readers say stays as it is.
///
/// ```
/// use vivida_core::refused;
/// let error = serde_json::from_str::<Vec<u32>>(r#"["soft"]"#).unwrap_err();
/// assert_eq!(refused(&error), "this is the text “soft”, where a whole number is wanted");
/// let error = serde_json::from_str::<Vec<u32>>("[1,").unwrap_err();
/// assert_eq!(refused(&error), "this is no JSON; it breaks off");
/// ```
pub fn refused(error: &serde_json::Error) -> String {
    match error.classify() {
        Category::Eof => "this is no JSON; it breaks off".to_owned(),
        Category::Syntax => {
            format!("this is no JSON; it goes wrong at character {} of the line", error.column())
        }
        Category::Data | Category::Io => {
            let text = error.to_string();
            let place = format!(" at line {} column {}", error.line(), error.column());
            in_words(text.strip_suffix(&place).unwrap_or(&text))
        }
    }
}

fn in_words(text: &str) -> String {
    let ticked = |text: &str| text.replace('`', "");
    let wrong = text.strip_prefix("invalid type: ").or_else(|| text.strip_prefix("invalid value: "));
    if let Some((found, wanted)) = wrong.and_then(|rest| rest.rsplit_once(", expected ")) {
        return format!("this is {}, where {} is wanted", said_of_found(found), said_of_wanted(wanted));
    }
    if let Some((_, wanted)) = text.strip_prefix("invalid length ").and_then(|rest| rest.split_once(", expected ")) {
        return format!("this is a list of another length; {} is wanted", said_of_wanted(wanted));
    }
    if let Some(field) = text.strip_prefix("missing field ") {
        return format!("the field {} is missing", ticked(field));
    }
    if let Some(field) = text.strip_prefix("duplicate field ") {
        return format!("the field {} is there twice", ticked(field));
    }
    for (begins, what) in [("unknown field ", "field"), ("unknown variant ", "choice")] {
        let Some((found, there_are)) = text.strip_prefix(begins).and_then(|rest| rest.split_once(", ")) else {
            continue;
        };
        let there_are = there_are.trim_start_matches("expected one of ").trim_start_matches("expected ");
        let found = ticked(found);
        return match there_are.contains('`') {
            true => format!("there is no {what} “{found}” here; there are {}", ticked(there_are)),
            false => format!("there is no {what} “{found}” here"),
        };
    }
    text.to_owned()
}

fn said_of_found(found: &str) -> String {
    if let Some(text) = found.strip_prefix("string \"").and_then(|rest| rest.strip_suffix('"')) {
        return format!("the text “{text}”");
    }
    match found.split_once(' ') {
        Some(("integer" | "boolean" | "floating", value)) => value.trim_start_matches("point ").replace('`', ""),
        _ => match found {
            "map" => "an object".to_owned(),
            "sequence" => "a list".to_owned(),
            "unit value" | "null" => "null".to_owned(),
            other => other.replace('`', ""),
        },
    }
}

fn said_of_wanted(wanted: &str) -> String {
    let said = match wanted {
        "u8" | "u16" | "u32" | "u64" | "usize" => "a whole number",
        "i8" | "i16" | "i32" | "i64" | "isize" => "a whole number",
        "f32" | "f64" => "a number",
        "a string" | "string" => "a text",
        "a boolean" => "true or false",
        "a sequence" => "a list",
        "a map" => "an object",
        "variant identifier" => "a word",
        other if ["struct ", "enum ", "internally tagged enum "].iter().any(|one| other.starts_with(one)) => {
            "an object"
        }
        other => return other.replace('`', ""),
    };
    said.to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde::Deserialize;

    #[derive(Debug, Deserialize)]
    #[serde(deny_unknown_fields, rename_all = "kebab-case")]
    #[allow(dead_code)]
    struct One {
        by: f64,
        #[serde(default)]
        on: bool,
        #[serde(default)]
        kind: Option<Kind>,
        #[serde(default)]
        pair: Option<[u8; 2]>,
    }

    #[derive(Debug, Deserialize)]
    #[serde(rename_all = "kebab-case")]
    enum Kind {
        Even,
        Bell,
    }

    #[test]
    fn every_kind_of_error_is_said_without_the_parsers_words() {
        for (text, said) in [
            (r#"{"by": null}"#, "this is null, where a number is wanted"),
            (r#"{"by": [1]}"#, "this is a list, where a number is wanted"),
            (r#"{"by": 1, "on": 1.5}"#, "this is 1.5, where true or false is wanted"),
            (r#"{"by": 1, "pair": [300, 1]}"#, "this is 300, where a whole number is wanted"),
            (r#"{"by": 1, "kind": "odd"}"#, "there is no choice “odd” here; there are even or bell"),
            (r#"{"by": 1, "to": 2}"#, "there is no field “to” here; there are by, on, kind, pair"),
            (r#"{"on": true}"#, "the field by is missing"),
            (r#"{"by": 1, "by": 2}"#, "the field by is there twice"),
            (r#"[]"#, "this is a list of another length; an object is wanted"),
            (r#"{"by": 1,}"#, "this is no JSON; it goes wrong at character 10 of the line"),
            (r#"{"by""#, "this is no JSON; it breaks off"),
        ] {
            let error = serde_json::from_str::<One>(text).unwrap_err();
            assert_eq!(refused(&error), said, "{error}");
        }
    }
}
