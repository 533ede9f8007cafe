#!/usr/bin/env bash
# The by-hand way: the same commits with plain git commands. $1: folder; $2: how many; $3: the contents of
# press.toml in the five commits, as files 0..4, and README.md.
set -euo pipefail
export GIT_CONFIG_GLOBAL=/dev/null GIT_CONFIG_NOSYSTEM=1
commit() { # author, date, message file
  GIT_AUTHOR_NAME=$1 GIT_AUTHOR_EMAIL=$2 GIT_AUTHOR_DATE="$3 +0000" \
    GIT_COMMITTER_NAME=$1 GIT_COMMITTER_EMAIL=$2 GIT_COMMITTER_DATE="$3 +0000" git commit -q -F "$4"
}
maren=("Maren Quill" maren@orchard.example)
tobias=("Tobias Fenn" tobias@orchard.example)
for ((number = 0; number < $2; number++)); do
  mkdir -p "$1/$number/work"
  cp "$3/BRIEF.md" "$1/$number/"
  cd "$1/$number/work"
  git init -q -b main --template=
  cp "$3/0" press.toml
  cp "$3/README.md" .
  git add .
  commit "${maren[@]}" "$(cat "$3/time0")" "$3/message0"
  git checkout -q -b night-shift
  cp "$3/1" press.toml
  git add .
  commit "${tobias[@]}" "$(cat "$3/time1")" "$3/message1"
  git checkout -q main
  cp "$3/2" press.toml
  git add .
  commit "${maren[@]}" "$(cat "$3/time2")" "$3/message2"
  git checkout -q night-shift
  cp "$3/3" press.toml
  git add .
  commit "${tobias[@]}" "$(cat "$3/time3")" "$3/message3"
  git checkout -q main
  cp "$3/4" press.toml
  git add .
  commit "${maren[@]}" "$(cat "$3/time4")" "$3/message4"
done
