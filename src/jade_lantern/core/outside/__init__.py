"""Files from outside, read within bounds: a budget for what they decode to, and a process of their
own, with a limit of memory and time, for formats whose readers cannot be trusted with any file."""
