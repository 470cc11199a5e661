"""The launcher from the shell: it starts, says so in one line, stops what it started, and says plainly what is wrong."""

import http.client
import os
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from irongauge.store.cluster import free_port

ROOT = Path(__file__).parents[2]


@pytest.fixture
def home() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="irongauge-launch-") as folder:
        Path(folder).chmod(0o755)
        yield Path(folder)


@pytest.fixture(scope="session")
def filled() -> Iterator[Path]:
    """A folder in which the demo was started and stopped once: filling it takes longer than all that is tested with it."""
    with tempfile.TemporaryDirectory(prefix="irongauge-filled-") as folder:
        home, port = Path(folder) / "home", free_port()
        Path(folder).chmod(0o755)
        home.mkdir()
        process = command("demo", home=home, IRON_PORT=port)
        wait_for(port, process)
        process.send_signal(signal.SIGINT)
        process.communicate(timeout=90)
        yield home


@pytest.fixture
def demo_home(home, filled) -> Path:
    """A folder of its own with the demo in it."""
    subprocess.run(["cp", "-a", f"{filled}/.", str(home)], check=True)
    return home


def command(*words, home, **settings):
    """The application's own command, as the launcher runs it once everything is installed."""
    environment = {k: v for k, v in os.environ.items() if k != "DATABASE_URL"}
    environment |= {"IRON_LOCAL_DIR": str(home)} | {k: str(v) for k, v in settings.items()}
    return subprocess.Popen(
        [ROOT / ".venv" / "bin" / "python", "-m", "irongauge", *words],
        cwd=ROOT,
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        start_new_session=True,
    )


def get(port, path="/") -> tuple[int, str]:
    with closing(http.client.HTTPConnection("127.0.0.1", port, timeout=5)) as connection:
        connection.request("GET", path)
        answer = connection.getresponse()
        return answer.status, answer.read().decode()


def answers(port, path="/") -> int | None:
    try:
        return get(port, path)[0]
    except OSError:
        return None


def wait_for(port, process, path="/"):
    deadline = time.monotonic() + 90
    while answers(port, path) != 200:
        assert process.poll() is None, process.communicate()[0]
        assert time.monotonic() < deadline
        time.sleep(0.05)


def servers(home) -> list[str]:
    found = subprocess.run(["pgrep", "-af", str(home)], capture_output=True, text=True, check=False).stdout
    return [line for line in found.splitlines() if "postgres" in line and "pgrep" not in line]


@pytest.mark.parametrize(
    ("start", "stop"),
    [("home", signal.SIGINT), ("demo_home", signal.SIGTERM)],
    ids=["from nothing, Ctrl-C", "there already, terminated"],
)
def test_the_demo_starts_says_so_and_stops_the_database_it_started(request, start, stop):
    home = request.getfixturevalue(start)
    port = free_port()
    process = command("demo", home=home, IRON_PORT=port)
    wait_for(port, process)
    assert answers(port, "/healthz") == 200
    assert servers(home)
    process.send_signal(stop)
    output, _ = process.communicate(timeout=90)
    assert output == f"Iron Gauge is ready: http://127.0.0.1:{port}  (Ctrl-C stops it)\n"
    assert process.returncode == 0
    assert servers(home) == []


def test_a_database_left_over_from_a_killed_server_is_taken_up_again(demo_home):
    port = free_port()
    process = command("demo", home=demo_home, IRON_PORT=port)
    wait_for(port, process)
    process.kill()
    process.communicate()
    assert servers(demo_home), "the database outlived the web server"
    again = command("demo", home=demo_home, IRON_PORT=port)
    wait_for(port, again)
    again.send_signal(signal.SIGINT)
    again.communicate(timeout=90)
    assert servers(demo_home) == []


def postmaster(demo_home) -> int:
    return int(next(demo_home.glob("postgres/postmaster.pid")).read_text().splitlines()[0])


def test_a_database_that_is_killed_is_there_again_in_seconds(demo_home):
    port = free_port()
    process = command("demo", home=demo_home, IRON_PORT=port)
    wait_for(port, process)
    os.kill(postmaster(demo_home), signal.SIGKILL)
    assert answers(port, "/healthz") in {200, 503}
    wait_for(port, process, "/healthz")
    wait_for(port, process)
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=90)
    assert servers(demo_home) == []


def test_of_two_servers_of_one_folder_the_last_stops_the_database(demo_home):
    first_port, second_port = free_port(), free_port()
    first = command("demo", home=demo_home, IRON_PORT=first_port)
    wait_for(first_port, first)
    second = command("demo", home=demo_home, IRON_PORT=second_port)
    wait_for(second_port, second)
    first.send_signal(signal.SIGINT)
    first.communicate(timeout=90)
    assert answers(second_port) == 200
    second.send_signal(signal.SIGINT)
    second.communicate(timeout=90)
    assert servers(demo_home) == []


def test_a_process_that_has_a_dead_servers_number_is_left_alone(demo_home):
    """What a killed server leaves behind names a process; by now that may be anybody's."""
    port = free_port()
    process = command("demo", home=demo_home, IRON_PORT=port)
    wait_for(port, process)
    process.kill()
    process.communicate()
    pid_file = next(demo_home.glob("postgres/postmaster.pid"))
    left = pid_file.read_text().splitlines()
    os.kill(int(left[0]), signal.SIGQUIT)
    while servers(demo_home):
        time.sleep(0.1)
    innocent = subprocess.Popen(["sleep", "600"])
    pid_file.write_text("\n".join([str(innocent.pid), *left[1:]]) + "\n")
    again = command("demo", home=demo_home, IRON_PORT=port)
    wait_for(port, again)
    again.send_signal(signal.SIGINT)
    again.communicate(timeout=90)
    assert innocent.poll() is None
    innocent.kill()
    innocent.wait()


def test_the_processes_of_a_killed_server_do_not_hold_its_port(home):
    port = free_port()
    process = command("serve", home=home, IRON_PORT=port, IRON_WORKERS=2)
    wait_for(port, process, "/healthz")
    process.kill()
    # Its processes have its output as well, and close it as they end.
    process.communicate(timeout=90)
    deadline = time.monotonic() + 90
    while answers(port, "/healthz") is not None:
        assert time.monotonic() < deadline, "they outlive it"
        time.sleep(0.1)
    again = command("serve", home=home, IRON_PORT=port, IRON_WORKERS=2)
    wait_for(port, again, "/healthz")
    again.send_signal(signal.SIGINT)
    said, _ = again.communicate(timeout=90)
    assert "Iron Gauge is ready" in said


def test_a_process_that_does_not_hear_that_it_is_to_end_ends_all_the_same():
    """An interrupt that comes while Python collects garbage is printed and forgotten."""
    deaf = "signal.signal(signal.SIGTERM, lambda *_: print('not now', flush=True))"
    waits = f"import os, signal, time; {deaf}; from irongauge.ending import end_after; end_after(lambda: os.read(0, 1))"
    process = subprocess.Popen(
        [ROOT / ".venv" / "bin" / "python", "-c", f"{waits}; print('here', flush=True)\nwhile True: time.sleep(1)"],
        cwd=ROOT,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    assert process.stdout.readline() == "here\n"
    output, _ = process.communicate(timeout=90)
    assert output == "not now\n"
    assert process.returncode == 1


def test_serve_starts_without_the_demo_in_several_processes(home):
    port = free_port()
    process = command("serve", home=home, IRON_PORT=port, IRON_WORKERS=2)
    wait_for(port, process, "/healthz")
    assert "Whose shop is this?" in get(port)[1]
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=90)
    assert servers(home) == []


def test_a_server_whose_main_process_was_killed_is_started_again_at_once(home):
    """Its worker processes see it within a second and hold the port till they have ended: the new one waits for that."""
    port = free_port()
    killed = command("serve", home=home, IRON_PORT=port, IRON_WORKERS=2)
    wait_for(port, killed, "/healthz")
    os.kill(killed.pid, signal.SIGKILL)
    killed.wait(timeout=90)
    killed.stdout.close()
    again = command("serve", home=home, IRON_PORT=port, IRON_WORKERS=2)
    assert "Iron Gauge is ready" in again.stdout.readline(), "the workers of the killed one answer for a moment longer"
    wait_for(port, again, "/healthz")
    again.send_signal(signal.SIGINT)
    again.communicate(timeout=90)
    assert servers(home) == []


def test_a_busy_port_is_said_before_anything_is_started(home):
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        process = command("demo", home=home, IRON_PORT=port)
        output, _ = process.communicate(timeout=90)
    assert process.returncode == 1
    assert output.startswith(f"iron: Port {port} on 127.0.0.1 cannot be used (Address already in use).")
    assert f"IRON_PORT={port + 1} ./iron demo" in output
    assert not (home / "postgres").exists()


def test_a_database_that_does_not_answer_is_said_in_one_line(home):
    process = command("demo", home=home, IRON_PORT=free_port(), DATABASE_URL="postgresql://a:b@127.0.0.1:1/x")
    output, _ = process.communicate(timeout=90)
    assert process.returncode == 1
    assert output.count("\n") == 1
    assert "The database does not answer: " in output
    assert "Check DATABASE_URL" in output


def test_another_database_can_be_migrated_and_filled(home, database):
    url = database.engine.url.render_as_string(hide_password=False).replace("+psycopg", "")
    for words, code in ((["migrate"], 0), (["load-demo"], 0), (["load-demo"], 0)):
        process = command(*words, home=home, DATABASE_URL=url)
        output, _ = process.communicate(timeout=90)
        assert (process.returncode, output) == (code, "")
    assert not (home / "postgres").exists(), "no cluster of our own was made"


def launcher(*words, **settings):
    return subprocess.run(
        [ROOT / "iron", *words], capture_output=True, text=True, check=False, env=os.environ | settings, timeout=60
    )


def test_the_launcher_names_its_commands():
    for words in ([], ["help"]):
        done = launcher(*words)
        assert done.returncode == 0
        for name in ("demo", "serve", "test", "shots", "measure"):
            assert f"./iron {name}" in done.stdout
    done = launcher("dance")
    assert done.returncode == 1
    assert "iron: 'dance' is not one of its commands." in done.stderr


def test_a_folder_that_cannot_be_written_is_said(home):
    blocked = home / "file"
    blocked.write_text("not a folder")
    done = launcher("demo", IRON_LOCAL_DIR=str(blocked / "below"))
    assert done.returncode == 1
    assert done.stderr.startswith("iron: cannot write in ")
