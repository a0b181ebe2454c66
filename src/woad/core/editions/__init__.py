"""What leaves the studio: which picture is written, how, and to which file."""
