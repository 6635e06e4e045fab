//! The unit tests of the page, each reported as a test of its own. Vitest runs them all, whichever are asked for.

use libtest_mimic::{Arguments, Failed, Trial};
use serde_json::Value;
use std::fs;
use std::path::Path;
use std::process::{Command, ExitCode};

fn main() -> ExitCode {
    let arguments = Arguments::from_args();
    let trials = match vitest() {
        Ok(tests) => tests.into_iter().map(|(name, outcome)| Trial::test(name, move || outcome)).collect(),
        Err(message) => vec![Trial::test("the page", move || Err(message.into()))],
    };
    libtest_mimic::run(&arguments, trials).exit_code()
}

type Outcome = Result<(), Failed>;

/// Each test by its file and its name, with what became of it.
fn vitest() -> Result<Vec<(String, Outcome)>, String> {
    let web = Path::new(env!("CARGO_MANIFEST_DIR")).join("../web");
    if !web.join("node_modules/vitest").is_dir() {
        return Err("web/node_modules is not there: `cargo xtask test` installs it, and so does `npm ci` in web".into());
    }
    let report = Path::new(env!("CARGO_TARGET_TMPDIR")).join("vitest.json");
    let _ = fs::remove_file(&report);
    let mut run = Command::new("npm");
    run.args(["exec", "--", "vitest", "run", "--reporter=json"]).arg("--outputFile").arg(&report).current_dir(&web);
    let output = run.output().map_err(|error| format!("npm: {error}"))?;
    let said = || String::from_utf8_lossy(&output.stderr).into_owned();
    let text = fs::read(&report).map_err(|_| said())?;
    let report: Value = serde_json::from_slice(&text).map_err(|error| format!("{error}\n{}", said()))?;
    let mut tests = Vec::new();
    for file in report["testResults"].as_array().into_iter().flatten() {
        let path = file["name"].as_str().unwrap_or_default();
        let name = path.split("/src/").last().unwrap_or_default();
        let all = file["assertionResults"].as_array().map_or(&[][..], Vec::as_slice);
        if all.is_empty() {
            // It could not even be read.
            tests.push((name.to_owned(), Err(file["message"].as_str().unwrap_or("no tests").into())));
        }
        tests.extend(
            all.iter().map(|one| (format!("{name}: {}", one["fullName"].as_str().unwrap_or("?")), outcome(one))),
        );
    }
    match tests.is_empty() {
        true => Err(format!("no tests were found\n{}", said())),
        false => Ok(tests),
    }
}

fn outcome(test: &Value) -> Outcome {
    let messages = test["failureMessages"].as_array().into_iter().flatten();
    match test["status"].as_str() {
        Some("passed") => Ok(()),
        _ => Err(messages.filter_map(Value::as_str).collect::<Vec<_>>().join("\n").into()),
    }
}
