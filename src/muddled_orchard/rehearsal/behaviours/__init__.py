"""What learners typically do, right and wrong, and what must come of it.

Each entry of `BEHAVIOURS` is a name, what an onlooker would say, to which exercises it applies, and a
function that acts at a session and returns what the grader must find. To add one is to add an entry.
"""
# ruff: noqa: E501 - a table reads best a behaviour a line

from __future__ import annotations

from functools import partial

from msgspec import Struct

from muddled_orchard.core.git.lines import Lines, alike
from muddled_orchard.core.grading.rehearsal import RIGHT
from muddled_orchard.core.key.accepted import worth_of
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.merging.keep import KEEP, lines_kept
from muddled_orchard.rehearsal.behaviours import (
    content,
    courses,
    idle,
    in_the_way,
    no_commit,
    other_ways,
    own,
    right_ways,
)
from muddled_orchard.rehearsal.behaviours.expecting import (
    Act,
    Applies,
    always,
    begins_hardest_task,
    both,
    can_abort,
    can_begin_again,
    conflicts,
    hardest_task,
    hardest_task_does,
    has_bystanders,
    has_hunks,
    has_mends,
    is_finished_by_staging,
    is_local,
    is_plain_merge,
    is_replay,
    only_hunks,
    replays_several,
    starts_unfetched,
    takes_something,
    to_deliver,
    wants_merge_commit_only,
)
from muddled_orchard.rehearsal.behaviours.other_ways import another_way
from muddled_orchard.rehearsal.session import asks_merge_commit, hunks_of


class Behaviour(Struct, frozen=True):
    """One way to go about an exercise. `keeps_work`: it looks itself after work that was handed out
    uncommitted; otherwise that is committed first."""

    name: str
    said: str
    applies: Applies
    act: Act
    keeps_work: bool = False


_CONTENT = (
    *(
        Behaviour(
            f"kept {word}", choice.acted,
            conflicts if len(choice.parts) == 1 else has_hunks, partial(content.keeps, word),
        )
        for word, choice in sorted(KEEP.items(), key=lambda entry: len(entry[1].parts) != 1)
    ),
    *(
        Behaviour(
            f"whole file {word}", f"took the whole file from {word}",
            partial(content.differs_as_a_whole, word), partial(content.whole_file, word),
        )
        for word in ("ours", "theirs")
    ),
    Behaviour("resolved otherwise", "resolved everything as accepted, in another way than the key's own", right_ways.can_be_otherwise, right_ways.otherwise),
    Behaviour("resolved for less", "took what the key knows and gives less for", right_ways.can_be_for_less, right_ways.for_less),
    Behaviour("deleted lines back", "brought back what a side had deleted", content.has_deleted_lines, content.deleted_lines),
    Behaviour("stray edit", "changed something in passing", conflicts, content.stray_edit),
    Behaviour("other mode", "changed whether a file is executable", content.has_plain_files, content.other_mode),
    Behaviour("mend forgotten", "overlooked what merged cleanly into something wrong", has_mends, content.mend_forgotten),
    Behaviour("line ends", "saved it with CRLF", has_hunks, content.line_ends),
    Behaviour("markers left", "committed the file just as Git left it", has_hunks, partial(content.markers, content.as_git_left_it)),
    Behaviour("tool closed unsaved", "closed the merge tool without saving, and took it for resolved", has_hunks, content.closed_unsaved),
    Behaviour("markers halved", "took only some of the markers out", has_hunks, partial(content.markers, content.only_the_last)),
    Behaviour("markers disguised", "commented the markers out", has_hunks, partial(content.markers, content.commented_out)),
    Behaviour("markers mended", "committed the markers, and mended them in the next commit", content.can_commit_twice, content.markers_mended),
)  # fmt: skip

_UNFINISHED = (
    Behaviour("never started", "never started", always, idle.never_started, keeps_work=True),
    Behaviour("aborted", "met the conflict and went back", can_abort, courses.aborted),
    Behaviour("not staged", "resolved it, and forgot to stage it", conflicts, courses.not_staged),
    Behaviour(
        "not committed", "resolved and staged it, and forgot to complete it",
        both(conflicts, lambda key: not is_finished_by_staging(key)), courses.not_committed,
    ),
    Behaviour("not delivered", "did not push, and deleted nothing", to_deliver, courses.not_delivered),
    Behaviour("conflict kept", "met the conflict that was to be given up, and left it there", no_commit.gives_up, no_commit.left_at_conflict),
    Behaviour("carried out", "went through with what was to be given up", no_commit.gives_up_last, no_commit.carried_out),
    Behaviour("not begun", "did all but what was to be begun and given up", both(no_commit.gives_up, lambda key: len(key.scenario.task) > 1), no_commit.never_begun),
    Behaviour("undone instead", "undid by a further commit what was to be taken out", no_commit.sets_back_last, no_commit.undone_instead),
    Behaviour("set back softly", "set the branch back and left the files as they were", no_commit.sets_back_last, no_commit.softly),
    Behaviour("skipped", "skipped every commit that conflicts", both(conflicts, courses.can_skip), courses.skipped),
    Behaviour("other work only", "committed something that was not asked for, and nothing else", idle.begins_at_rest, partial(idle.unrelated, idle.other_work)),
    Behaviour("other message only", "gave a handed-out commit another message, and did nothing else", idle.begins_at_rest, partial(idle.unrelated, idle.other_message)),
    Behaviour("pushed over", "pushed by force over another's commit", idle.can_push_over, partial(idle.unrelated, idle.pushed_over)),
    Behaviour("gave up when refused", "let it be when Git refused the push", idle.can_push_over, idle.gave_up_when_refused),
    Behaviour("nothing fetched", "merged without fetching", starts_unfetched, idle.nothing_fetched),
    Behaviour("stash kept", "forgot the stash, which Git keeps after a conflict", hardest_task_does("stash-pop"), courses.stash_kept),
    Behaviour("stash dropped", "threw the stashed work away", hardest_task_does("stash-pop"), courses.stash_dropped),
)  # fmt: skip

_OTHERWISE = (
    Behaviour(
        "wrong way round", "merged the wrong way round", both(is_plain_merge, is_local),
        another_way(other_ways.wrong_way_round, "history", "delivered"),
    ),
    Behaviour("base rebased", "rebased the wrong way round", both(hardest_task_does("rebase"), begins_hardest_task), other_ways.base_rebased),
    Behaviour(
        "rebased instead", "rebased where a merge was asked", both(begins_hardest_task, asks_merge_commit, hardest_task_does("merge", "pull")),
        another_way(other_ways.rebased, "history", "resolution rest rules bystanders delivered"),
    ),
    Behaviour(
        "merged instead", "merged where a rebase was asked", is_replay,
        another_way(other_ways.merged_instead, "history", "resolution rest rules delivered"),
    ),
    *(
        Behaviour(
            f"pulled with pull.rebase={word}", f"pulled with pull.rebase={word}",
            both(other_ways.can_pull, begins_hardest_task), partial(other_ways.pulls, word),
        )
        for word in ("false", "true", "merges")
    ),
    Behaviour("merged with -s ours", "merged with -s ours", both(is_plain_merge, takes_something), other_ways.nothing_taken),
    *(
        Behaviour(f"merged with -X {word}", f"merged with -X {word}", both(is_plain_merge, only_hunks), partial(other_ways.favours, word))
        for word in ("ours", "theirs")
    ),
    Behaviour(
        "squashed", "merged with --squash", both(is_plain_merge, takes_something),
        another_way(other_ways.merged_with("--squash"), "history", "delivered"),
    ),
    Behaviour(
        "not squashed", "merged without --squash", both(begins_hardest_task, lambda key: bool(hardest_task(key).squash)),
        another_way(other_ways.merged_with(), "history"),
    ),
    Behaviour(
        "copied", "copied the right content, without a merge", both(is_plain_merge, takes_something),
        another_way(other_ways.copied, "history", "delivered"),
    ),
    Behaviour("in parts", "merged an older commit of the branch first", both(is_plain_merge, is_local, courses.has_several_commits), courses.in_parts),
    Behaviour("on an older base", "rebased onto an older commit than was asked", both(is_replay, is_local, courses.has_older_base), other_ways.on_older_base),
    Behaviour("taken early", "took the other side's files before the merge", both(is_plain_merge, is_local, conflicts), other_ways.taken_early),
    Behaviour("only moved on", "let the branch move on, without a merge commit", wants_merge_commit_only, other_ways.only_moved_on),
    Behaviour("replay squashed", "rebased, and made one commit of it", replays_several, other_ways.squashed_replay),
)  # fmt: skip

_IN_PASSING = (
    Behaviour("second try", "gave up once, then did it right", can_begin_again, courses.second_try),
    Behaviour("detached", "worked on a detached HEAD", courses.can_detach, courses.detached),
    Behaviour("amended", "gave the last commit another message", courses.can_amend, courses.amended),
    Behaviour("committed in between", "committed each step before the rebase went on", both(conflicts, hardest_task_does("rebase")), courses.committed_in_between),
    Behaviour("other message", "said something else than was asked, or left what Git proposed", courses.asks_for_messages, courses.other_message),
    Behaviour("backup left", "left a merge tool's backup file behind", conflicts, partial(courses.backup, committed=False)),
    Behaviour("backup committed", "committed a merge tool's backup file", conflicts, partial(courses.backup, committed=True)),
    Behaviour("branch moved", "moved a branch that was to be left alone", has_bystanders, partial(courses.bystander, courses.moved)),
    Behaviour("branch deleted", "deleted a branch that was to be left alone", has_bystanders, partial(courses.bystander, courses.deleted)),
)  # fmt: skip

_WORK = (
    Behaviour("work stashed", "put the work in the way aside, and brought it back", in_the_way.has_work, in_the_way.stashed, keeps_work=True),
    Behaviour("work left stashed", "put the work in the way aside, and left it there", in_the_way.has_work, in_the_way.left_in_the_stash, keeps_work=True),
    Behaviour("work thrown away", "threw the work in the way away", in_the_way.has_work, in_the_way.thrown_away, keeps_work=True),
)  # fmt: skip

_OWN = (
    Behaviour("never parted", "changed one side alone, so that nothing met", own.parts, own.never_parted),
    Behaviour("other lines", "changed other places on both sides", own.merges, own.other_lines),
    Behaviour("told beforehand with -s ours", "merged with -s ours", own.merges, partial(own.told_beforehand, how=("-s", "ours"))),
    Behaviour("told beforehand with -X theirs", "merged with -X theirs", own.merges, partial(own.told_beforehand, how=("-X", "theirs"))),
    Behaviour("edited in a clean merge", "changed by hand what merged cleanly", own.merges, own.edited_in_merge),
    Behaviour("gave the own one up", "made the conflict and went back", own.is_own, own.gave_up),
    Behaviour("left the own one there", "made the conflict and left it there", own.is_own, own.left_there),
    Behaviour("own one not committed", "resolved and staged it, and forgot to complete it", own.is_own, own.not_committed),
    Behaviour("own one with markers", "committed the file just as Git left it", own.merges, own.markers_left),
    Behaviour("own one otherwise", "resolved it in words that are neither side's", own.wants_words, own.wrote_another),
    Behaviour("made another", "made a further conflict when it was done", own.merges, own.made_another),
    Behaviour("first branch named otherwise", "had Git call the first branch otherwise", own.begins_with_nothing, own.named_otherwise),
    Behaviour("says not what it is", "took the file that says whose work it is out again", own.begins_with_nothing, own.claim_taken_out),
    Behaviour("own one and a backup", "left a merge tool's backup file behind", own.is_own, own.backup_left),
)  # fmt: skip

BEHAVIOURS: tuple[Behaviour, ...] = (
    Behaviour(RIGHT, "resolved everything as accepted", always, courses.right),
    *_CONTENT,
    *_UNFINISHED,
    *_OTHERWISE,
    *_IN_PASSING,
    *_WORK,
)
"""Every behaviour that does not depend on the places of a scenario, the right one first."""


def behaviours_for(key: Key) -> list[Behaviour]:
    """All that apply to an exercise: those of the table, one for each conflict to stop at, and one for each
    wrong choice in a single hunk where there are several."""
    if own.is_own(key):
        others = [behaviour for behaviour in BEHAVIOURS if behaviour.name in (RIGHT, "never started")]
        return [*others, *(behaviour for behaviour in _OWN if behaviour.applies(key))]
    behaviours = [behaviour for behaviour in BEHAVIOURS if behaviour.applies(key)]
    if in_the_way.has_work(key):
        # Who commits it first has done something, however little of what was asked comes after that.
        may = {RIGHT, "never started", *(behaviour.name for behaviour in (*_CONTENT, *_WORK))}
        return [behaviour for behaviour in behaviours if behaviour.name in may]
    stops = sum(bool(step.merge.conflicts) for step in key.steps)
    behaviours += [
        Behaviour(
            f"stopped at {number}", f"stopped at conflict {number} of {stops}", always, partial(courses.stopped_at, number)
        )
        for number in range(1, stops + 1)
    ]  # fmt: skip
    hunks = list(hunks_of(key))
    spacing = key.scenario.spacing
    form = alike(spacing)
    for step, conflict, number, hunk in hunks if len(hunks) > 1 else ():
        ways = step.accepted.get(conflict.path, ())
        taken: set[Lines] = set()
        for word in ("ours", "theirs", "base"):
            text = form(lines_kept(hunk, word))
            if text not in taken and worth_of(ways, number - 1, lines_kept(hunk, word), spacing) < 1:
                taken.add(text)
                where = f"{conflict.path} {number}" + (f" in {step.label}" if step.label else "")
                where += f", task {step.task}" if len(key.scenario.task) > 1 else ""
                at = (step.task, step.commit)
                act = partial(content.one_hunk, conflict.path, number, at, word)
                sentence = f"kept {word} in hunk {number} of {conflict.path}, all else right"
                behaviours.append(Behaviour(f"{word} in {where}", sentence, always, act))
    return behaviours


def named(name: str, key: Key | None = None) -> Behaviour:
    """The behaviour of the table with this name; with a key also one of those that its exercise has more."""
    known = BEHAVIOURS if key is None else (*BEHAVIOURS, *behaviours_for(key))
    return next(behaviour for behaviour in known if behaviour.name == name)
