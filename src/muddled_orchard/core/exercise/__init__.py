"""An exercise as its author means it: the scenario, its variants, its story, what it asks."""
