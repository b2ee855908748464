"""What the window is about, in parts that know as little of each other as they can; `Session` puts them together."""
