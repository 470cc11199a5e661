"""The order of the work: its lanes, its list, and what people say of a step."""
