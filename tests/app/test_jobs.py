"""Work off the window's thread."""

import threading
import time

from PySide6.QtCore import QThreadPool

from nipper.app.jobs import Job, Latest, Stream, last_jobs, wait_for_jobs
from nipper.core.errors import InputError, RangeError


def test_a_job_answers_in_the_windows_thread(qtbot):
    answers = []
    job = Job(lambda: threading.current_thread().name)
    job.done.connect(lambda name: answers.append((name, threading.current_thread().name)))
    with qtbot.waitSignal(job.ended):
        job.start()
    worker, here = answers[0]
    assert here == threading.current_thread().name
    assert worker != here


def test_progress_is_told_and_a_cancelled_job_never_says_done(qtbot):
    seen, done = [], []

    def work(tick):
        for i in range(500):
            tick(i / 500)
            time.sleep(0.002)
        return "late"

    job = Job(work, ticks=True)
    job.done.connect(done.append)
    job.progressed.connect(seen.append)
    with qtbot.waitSignal(job.ended):
        job.start()
        qtbot.waitUntil(lambda: len(seen) > 3)
        job.cancel()
    assert done == []
    assert job.cancelled


def test_an_answer_already_on_its_way_is_dropped_when_cancelled(qtbot):
    done = []
    job = Job(lambda: 1)
    job.done.connect(done.append)
    with qtbot.waitSignal(job.ended):
        job.start()
        time.sleep(0.05)
        job.cancel()
    assert done == []


def test_an_expected_error_is_told_in_words(qtbot):
    def work():
        raise RangeError("expected something else")

    told = []
    job = Job(work)
    job.failed.connect(told.append)
    with qtbot.waitSignal(job.ended):
        job.start()
    assert told == ["expected something else"]


def test_of_many_questions_the_first_and_the_last_are_answered(qtbot):
    answers = []
    gate = threading.Event()

    def work(n):
        if n == 0:
            gate.wait(5)
        return n

    latest = Latest(work)
    latest.answered.connect(answers.append)
    for n in range(50):
        latest.ask(n)
    gate.set()
    qtbot.waitUntil(lambda: not latest.busy)
    assert answers == [0, 49]


def test_many_quick_jobs_all_answer(qtbot):
    answers = []
    jobs = [Job(lambda n=n: n) for n in range(300)]
    for job in jobs:
        job.done.connect(answers.append)
        job.start()
    qtbot.waitUntil(lambda: len(answers) == 300, timeout=20_000)
    assert sorted(answers) == list(range(300))


# streams


def ticking(count, *, stopped):
    for i in range(count):
        if stopped():
            return
        yield i
        time.sleep(0.005)


def test_a_stream_gives_one_thing_after_another_and_holds_no_pool_thread(qtbot):
    seen = []
    stream = Stream(ticking, 5)
    stream.gave.connect(seen.append)
    with qtbot.waitSignal(stream.ended):
        stream.start()
        assert QThreadPool.globalInstance().activeThreadCount() == 0
    assert seen == [0, 1, 2, 3, 4]


def test_a_stream_is_cancelled_and_not_waited_for(qtbot):
    seen = []
    stream = Stream(ticking, 10_000_000)
    stream.gave.connect(seen.append)
    stream.start()
    qtbot.waitUntil(lambda: len(seen) > 2)
    begin = time.monotonic()
    with qtbot.waitSignal(stream.ended):
        assert wait_for_jobs()
        assert time.monotonic() - begin < 1.0
    given = len(seen)
    qtbot.wait(30)
    assert len(seen) == given


def failing(error, *, stopped):
    yield stopped()
    raise error


def test_a_streams_trouble_is_told(qtbot):
    stream = Stream(failing, InputError("bus", "the cable", "an answer"))
    with qtbot.waitSignal(stream.failed) as told:
        stream.start()
    assert "an answer" in told.args[0]


def test_patience_with_a_job_that_does_not_hear_has_an_end(qtbot):
    begun, go_on = threading.Event(), threading.Event()

    def deaf():
        begun.set()
        go_on.wait()

    job = Job(deaf).start()
    qtbot.waitUntil(begun.is_set, timeout=10_000)
    begin = time.monotonic()
    assert not wait_for_jobs(patience_ms=50)
    assert time.monotonic() - begin < 1.0
    go_on.set()
    with qtbot.waitSignal(job.ended):
        assert wait_for_jobs()


def test_work_that_has_not_begun_when_it_is_cancelled_is_not_begun(qtbot):
    begun = []
    job = Job(begun.append, 1)
    job.cancel()
    with qtbot.waitSignal(job.ended):
        job.start()
    assert begun == []


def test_leaving_a_bench_waits_for_nobody(qtbot, open_window):
    """New bench stood still for 0.9 s where a job did not hear that it was to end."""
    begun, go_on, ends = threading.Event(), threading.Event(), []
    bench = open_window.document.bench

    def read_on():
        begun.set()
        go_on.wait()
        return bench.packs()  # of a file that was let go

    job = Job(read_on)
    job.failed.connect(ends.append)
    job.done.connect(ends.append)
    job.start()
    qtbot.waitUntil(begun.is_set, timeout=10_000)
    open_window.new_bench()
    assert open_window.document is None
    assert job.cancelled
    with qtbot.waitSignal(job.ended):
        go_on.set()
    assert ends == []


def test_what_is_being_written_is_written_to_its_end_whatever_closes(qtbot, open_window, tmp_path):
    """An export in a queue behind others was dropped in silence when the window closed."""
    go_on, file = threading.Event(), tmp_path / "export.csv"
    for _ in range(QThreadPool.globalInstance().maxThreadCount()):
        Job(go_on.wait).start()
    job = Job(file.write_text, "all of it", lasts=True).start()
    open_window.close()
    with qtbot.waitSignal(job.ended):
        go_on.set()
        assert last_jobs()
    assert not job.cancelled
    assert file.read_text() == "all of it"
