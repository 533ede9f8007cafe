"""Scenario files: read, checked, found, sketched.

`scenario_file` (all that is wrong in one), `shape` (data as classes), `sound_part` (what of a misshapen
one can be checked all the same), `toml_text`, `toml_lines`, `error_lines`, `tree_folders` (trees that a
story takes), `bundled` (where they lie), `catalogue`, `catalogue_index` (what they ask for, kept),
`own_scenarios` (found again), `survey_memory` (what was found right), `sketches`, `drafts` (files to be
finished), `from_trees`, `from_history`.
"""
