//! What the system is told of the program: completions for shells, and manual pages.

use crate::failure::{Done, in_words, named};
use crate::output;
use clap::Command;
use clap_complete::Shell;
use clap_mangen::Man;
use std::fs;
use std::io::{self, Write};
use std::path::Path;

/// Prints what a shell completes by.
pub fn completions(shell: Shell, mut command: Command) -> Done {
    let mut text = Vec::new();
    clap_complete::generate(shell, &mut command, "vivida", &mut text);
    output::say(&String::from_utf8_lossy(&text))
}

/// Prints the page of the program; into a folder it writes that and a page of each command.
pub fn pages(folder: Option<&Path>, command: Command) -> Done {
    let page = |command: Command| -> Result<Vec<u8>, String> {
        let mut page = Vec::new();
        let drawn = Man::new(command).render(&mut page);
        drawn.map(|()| page).map_err(|error: io::Error| in_words(&error))
    };
    let Some(folder) = folder else { return output::say(&String::from_utf8_lossy(&page(command)?)) };
    fs::create_dir_all(folder).map_err(|error| named(folder, in_words(&error)))?;
    let mut pages = vec![("vivida.1".to_owned(), page(command.clone())?)];
    for sub in command.get_subcommands() {
        let name = format!("vivida-{}", sub.get_name());
        pages.push((format!("{name}.1"), page(sub.clone().name(name))?));
    }
    for (name, page) in &pages {
        output::write(&folder.join(name), |out| out.write_all(page))?;
    }
    output::say(&format!("{} pages written\n", pages.len()))
}
