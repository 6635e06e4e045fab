/** Files of sound among those that are chosen or dropped. */
export const soundEndings = [".wav", ".wave", ".aif", ".aiff", ".flac", ".ogg", ".oga", ".mp3"];

export const isSound = (file: File) =>
	file.type.startsWith("audio/") && !file.type.includes("midi")
		? true
		: soundEndings.some((ending) => file.name.toLowerCase().endsWith(ending));

/** A name without its ending. */
export const stem = (name: string) => name.replace(/\.[^.]*$/, "") || name;
