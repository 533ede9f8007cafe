#!/usr/bin/env bash
# The by-hand way of giving feedback with plain git commands: for each repository a text with its graph, what the
# sides changed and what was left. $1: folder of submissions; $2: where to write; $3: how often to go through it.
set -euo pipefail
export GIT_CONFIG_GLOBAL=/dev/null GIT_CONFIG_NOSYSTEM=1
out=$2
mkdir -p "$out"
for ((round = 0; round < $3; round++)); do
  for submission in "$1"/*; do
    cd "$submission/work"
    {
      git log --graph --oneline --all
      base=$(git merge-base main night-shift)
      git diff "$base" night-shift -- press.toml
      git diff night-shift main -- press.toml
      git grep -nE '^(<{7}|={7}|>{7})' main -- || true
    } >"$out/${submission##*/}.$round.txt"
  done
done
