"""How an installation is run: where its parts stand, whether they work, what failed, and the page while nothing can be done."""

from __future__ import annotations

import json
import logging
import re
import subprocess
import sys
import tempfile
from datetime import timedelta
from io import StringIO
from pathlib import Path
from unittest import mock

import boto3
import environ
from django.conf import settings
from django.core import mail
from django.core.exceptions import ImproperlyConfigured
from django.core.files.base import ContentFile
from django.core.management import call_command
from django.db import OperationalError
from django.test import SimpleTestCase, override_settings
from huey import PostgresHuey, RedisHuey
from moto import mock_aws
from opentelemetry.sdk.trace.export.in_memory_span_exporter import InMemorySpanExporter
from storages.backends.s3 import S3Storage

from tests.apps.world import WorldTestCase
from tests.servers import ROOT, postgres, redis
from wainwright import clock, deployed
from wainwright.operating import beats, failures, health, traces
from wainwright.operating.models import Beat, Failure

PG = {"ENGINE": deployed.POSTGRES, "NAME": "w", "USER": "u", "PASSWORD": "", "HOST": "db", "PORT": ""}
LITE = {"ENGINE": deployed.SQLITE, "NAME": "w.sqlite3"}


class WhereTest(SimpleTestCase):
    same_on_any_day = True

    def test_each_part_is_one_setting(self):
        var = Path("/srv")
        self.assertEqual(deployed.queue("", var, LITE, ["k"], immediate=False)["filename"], "/srv/queue.sqlite3")
        on_redis = deployed.queue("redis://q:6379/0", var, LITE, ["k"], immediate=False)
        self.assertEqual((on_redis["huey_class"], on_redis["url"]), ("huey.RedisHuey", "redis://q:6379/0"))
        sealed = deployed.queue(
            "database", var, PG | {"OPTIONS": {"sslmode": "verify-full", "pool": True}}, ["k"], immediate=False
        )
        self.assertEqual((sealed.get("sslmode"), sealed.get("pool")), ("verify-full", None))
        beside = deployed.queue("database", var, PG, ["k"], immediate=False)
        self.assertEqual((beside["huey_class"], beside["dbname"], beside["host"]), ("huey.PostgresHuey", "w", "db"))
        self.assertNotIn("password", beside)
        plain = {
            "DATABASE": "postgres://u:p@db/w", "QUEUE": "redis://q:6379/0", "CACHE": "redis://:p@c:6379/1", "FILES": "s3://b?endpoint=http://s", "TRACES": "http://t:4318",
        }  # fmt: skip
        self.assertEqual(deployed.in_the_open(plain), list(plain))
        sealed = {
            "DATABASE": "postgres://u:p@db/w?sslmode=verify-full", "QUEUE": "rediss://q:6379/0", "CACHE": "database", "FILES": "s3://b?region=eu-north-1", "TRACES": "",
        }  # fmt: skip
        self.assertEqual(deployed.in_the_open(sealed), [])
        here = {
            "DATABASE": "postgres://u@%2Fvar%2Frun/w",
            "QUEUE": "unix:///run/redis.sock",
            "CACHE": "redis://127.0.0.1:6379/1",
            "FILES": "",
            "TRACES": "http://localhost:4318",
        }
        self.assertEqual(deployed.in_the_open(here), [])
        for weak in ("prefer", "allow", "disable", ""):
            self.assertEqual(deployed.in_the_open({"DATABASE": f"postgres://u:p@db/w?sslmode={weak}"}), ["DATABASE"])
        self.assertIn("synchronous=FULL", deployed.database(dict(LITE), var)["OPTIONS"]["init_command"])
        self.assertEqual(deployed.sessions("", var, LITE)[0].rpartition(".")[2], "cached_db")
        # Several machines would each remember who is signed in: with a server each look asks it.
        self.assertEqual(deployed.sessions("", var, PG)[0].rpartition(".")[2], "db")
        self.assertIn("Redis", deployed.sessions("redis://c:6379/1", var, PG)[1]["BACKEND"])
        bucket = deployed.files("s3://papers/firm%201?endpoint=https://store.example&region=eu")["OPTIONS"]
        self.assertEqual(
            (bucket["bucket_name"], bucket["location"], bucket["endpoint_url"]),
            ("papers", "firm 1", "https://store.example"),
        )

    def test_what_is_not_understood_says_what_to_write(self):
        var = Path("/srv")
        for said, asked in (
            (lambda: deployed.queue("database", var, LITE, ["k"], immediate=False), "WAINWRIGHT_QUEUE"),
            (lambda: deployed.queue("amqp://x", var, PG, ["k"], immediate=False), "redis://"),
            (lambda: deployed.sessions("memcached://x", var, PG), "WAINWRIGHT_CACHE"),
            (lambda: deployed.files("ftp://x"), "s3://"),
            (lambda: deployed.files("s3://b?endpiont=https://x"), "endpiont"),
            (lambda: deployed.database({"ENGINE": "django.db.backends.mysql"}, var), "PostgreSQL"),
            (lambda: deployed.logs("xml", "INFO"), "WAINWRIGHT_LOGS"),
        ):
            with self.subTest(asked), self.assertRaisesRegex(ImproperlyConfigured, asked):
                said()

    def test_a_queue_on_a_server_takes_only_what_this_installation_put_there(self):
        with redis() as address:
            options = deployed.queue(address, Path("/srv"), LITE, ["new", "old"], immediate=False)
            queue = RedisHuey(options["name"], url=options["url"], serializer=options["serializer"])
            ran = []

            @queue.task()
            def say(word):
                ran.append(word)

            say("hello")
            other = deployed.Signed(["old"])
            queue.storage.enqueue(other.serialize(queue.serializer.deserialize(queue.storage.dequeue())))
            queue.execute(queue.dequeue())
            self.assertEqual(ran, ["hello"])
            say("from elsewhere")
            queue.storage.enqueue(
                deployed.Signed(["stolen"]).serialize(queue.serializer.deserialize(queue.storage.dequeue()))
            )
            with self.assertRaisesRegex(ValueError, "not put into the queue by this installation"):
                queue.dequeue()
            self.assertEqual(ran, ["hello"])

    def test_a_queue_in_the_database_of_the_data(self):
        with postgres() as address:
            config = deployed.database(environ.Env.db_url_config(address), Path("/srv"))
            options = deployed.queue("database", Path("/srv"), config, ["k"], immediate=False)
            reach = {name: options[name] for name in ("dbname", "user", "host") if name in options}
            queue = PostgresHuey("of-a-test", serializer=options["serializer"], create_tables=True, **reach)
            ran = []

            @queue.task()
            def say(word):
                ran.append(word)

            say("hello")
            self.assertEqual(queue.pending_count(), 1)
            queue.execute(queue.dequeue())
            self.assertEqual((ran, queue.pending_count()), (["hello"], 0))
            queue.storage.close()

    def test_requests_are_followed_to_a_collector(self):
        kept = InMemorySpanExporter()
        with (
            mock.patch.object(traces.trace, "set_tracer_provider"),
            mock.patch.object(traces, "DjangoInstrumentor") as django,
        ):
            provider = traces.follow("http://127.0.0.1:4318/", kept)
        self.assertIs(django.return_value.instrument.call_args.kwargs["tracer_provider"], provider)
        with provider.get_tracer("test").start_as_current_span("GET /trips/"):
            pass
        provider.force_flush()
        self.assertEqual([span.name for span in kept.get_finished_spans()], ["GET /trips/"])
        self.assertEqual(kept.get_finished_spans()[0].resource.attributes["service.name"], "wainwright")
        provider.shutdown()

    def test_files_lie_in_a_bucket_under_the_same_names(self):
        keys = {"AWS_ACCESS_KEY_ID": "k", "AWS_SECRET_ACCESS_KEY": "s", "AWS_DEFAULT_REGION": "us-east-1"}
        with mock_aws(), mock.patch.dict("os.environ", keys):
            boto3.client("s3").create_bucket(Bucket="papers")
            store = S3Storage(**deployed.files("s3://papers/one?region=us-east-1")["OPTIONS"])
            name = store.save("receipts/2026/11/a.pdf", ContentFile(b"%PDF-1.7"))
            self.assertEqual(
                (name, store.open(name).read(), store.exists(name)), ("receipts/2026/11/a.pdf", b"%PDF-1.7", True)
            )
            # A name that is taken is not written over, and what is missing says so as a folder does.
            self.assertNotEqual(store.save("receipts/2026/11/a.pdf", ContentFile(b"other")), name)
            with self.assertRaises(FileNotFoundError):
                store.open("receipts/none.pdf").read()


class UnitsTest(SimpleTestCase):
    same_on_any_day = True

    def test_the_units_for_systemd_are_understood_by_it(self):
        with tempfile.TemporaryDirectory() as folder:
            for unit in (ROOT / "deploy" / "systemd").iterdir():
                # What they start lies here, not where it is installed.
                (Path(folder) / unit.name).write_text(unit.read_text().replace("/opt/wainwright", str(ROOT)))
            units = [str(path) for path in Path(folder).iterdir()]
            done = subprocess.run(["systemd-analyze", "verify", *units], capture_output=True, text=True, check=False)
        self.assertEqual((len(units), done.returncode, done.stderr), (5, 0, ""))

    def test_who_drops_anchors_may_write_where_the_example_keeps_them(self):
        example = (ROOT / "deploy" / "wainwright.env.example").read_text()
        folder = str(Path(re.search(r"^WAINWRIGHT_ANCHORS=(.+)$", example, re.M)[1]).parent)
        for unit in ("web", "worker", "backup"):
            said = (ROOT / "deploy" / "systemd" / f"wainwright-{unit}.service").read_text()
            self.assertIn(folder, re.findall(r"^ReadWritePaths=-?(.+)$", said, re.M))

    def test_every_setting_that_is_read_is_told_and_the_example_names_no_other(self):
        read = set(re.findall(r"WAINWRIGHT_[A-Z_]+", (ROOT / "wainwright" / "settings.py").read_text()))
        told = (ROOT / "docs" / "operate.md").read_text()
        told_names = set(re.findall(r"WAINWRIGHT_[A-Z_]+", told)) | {
            f"WAINWRIGHT{part}" for part in re.findall(r"`(_[A-Z_]+)`", told)
        }
        self.assertEqual(read - told_names, set())
        named = set(re.findall(r"WAINWRIGHT_[A-Z_]+", (ROOT / "deploy" / "wainwright.env.example").read_text()))
        self.assertEqual(named - read, set())


class HealthTest(WorldTestCase):
    def test_ready_says_which_part_fails_and_no_more(self):
        answer = self.client.get("/ready/")
        self.assertEqual((answer.status_code, set(answer.json().values())), (200, {"ready"}))
        down = mock.patch.dict(health.PARTS, files=mock.Mock(side_effect=OSError("s3 at 10.0.0.7 refuses the key abc")))
        with down, self.assertLogs("wainwright.operating.health", "ERROR"):
            answer = self.client.get("/ready/")
        self.assertEqual(
            (answer.status_code, answer.json()["files"], answer.json()["database"]), (503, "fails", "ready")
        )
        self.assertNotIn("10.0.0.7", answer.content.decode())
        with mock.patch.object(health, "_database", side_effect=OperationalError):
            self.assertEqual(self.client.get("/up/").content, b"up")

    def test_metrics_are_for_the_token_alone(self):
        self.assertEqual(self.client.get("/metrics/").status_code, 404)
        Beat.objects.create(name=beats.MINUTELY, time=clock.machine() - timedelta(seconds=90))
        with override_settings(METRICS_TOKEN="a-token"):
            self.assertEqual(self.client.get("/metrics/", HTTP_AUTHORIZATION="Bearer other").status_code, 401)
            text = self.client.get("/metrics/", HTTP_AUTHORIZATION="Bearer a-token").content.decode()
        self.assertRegex(text, r"(?m)^wainwright_worker_still_seconds 90\.")
        self.assertIn("wainwright_queue_waiting 0.0", text)

    def test_what_a_browser_refused_is_logged_without_what_was_asked_for(self):
        said = {
            "csp-report": {
                "violated-directive": "script-src",
                "blocked-uri": "https://evil.example/x.js?who=maren",
                "document-uri": "http://t/find/?q=secret",
            }
        }
        with self.assertLogs("wainwright.operating.views", "WARNING") as logged:
            answer = self.client.post("/refused-by-browser/", json.dumps(said), content_type="application/csp-report")
        self.assertEqual(answer.status_code, 204)
        self.assertIn("script-src what https://evil.example/x.js", logged.output[0])
        self.assertNotIn("secret", logged.output[0])
        for wrong in (b"", b"[]", b'{"csp-report": 7}', b"\xff" * 9000, b'{"csp-report":' + b"1" * 20_000):
            self.assertEqual(
                self.client.post("/refused-by-browser/", wrong, content_type="application/csp-report").status_code, 400
            )
        self.assertIn("report-uri /refused-by-browser/", self.client.get("/up/")["Content-Security-Policy"])

    def test_each_request_has_a_number_and_a_line(self):
        with self.assertLogs("wainwright.requests", "INFO") as logged:
            answer = self.client.get("/trips/?q=secret")
        self.assertRegex(answer["X-Request-ID"], "^[0-9a-f]{32}$")
        self.assertEqual(logged.records[0].getMessage(), "GET /trips/ 302")
        self.assertGreaterEqual(logged.records[0].ms, 0)
        made = logging.Formatter()
        for kind in ("plain", "json"):
            config = deployed.logs(kind, "INFO")
            self.assertIn(kind, config["formatters"])
        self.assertNotIn("secret", made.format(logged.records[0]))

    def test_the_page_while_nothing_can_be_done(self):
        call_command("maintenance", "on", "--words", "New <version>", "--until", "14:00", stdout=StringIO())
        self.addCleanup(settings.MAINTENANCE.unlink, missing_ok=True)
        with self.assertNumQueries(0):
            page = self.client.get("/trips/")
        self.assertContains(page, "New &lt;version&gt;", status_code=503)
        self.assertContains(page, "back by 14:00", status_code=503)
        self.assertEqual(page["Retry-After"], "120")
        self.assertEqual(self.client.get("/up/").status_code, 200)
        call_command("maintenance", "off", stdout=StringIO())
        self.assertEqual(self.client.get("/trips/").status_code, 302)


class ClockworkTest(WorldTestCase):
    def test_of_several_workers_one_runs_what_runs_by_the_clock(self):
        ran, start = [], clock.machine()
        with clock.at(start):
            work = beats.once_in_all("test", timedelta(minutes=1))(lambda: ran.append(clock.machine()))
        for seconds in (0, 0.2, 3, 58, 59, 61, 121, 180):
            with clock.at(start + timedelta(seconds=seconds)):
                work()
        self.assertEqual([round((time - start).total_seconds()) for time in ran], [0, 58, 121, 180])
        # A clock that was far ahead does not stop it for days.
        Beat.objects.update(time=start + timedelta(days=3))
        with clock.at(start):
            work()
        self.assertEqual(len(ran), 5)
        self.assertIsNotNone(Beat.objects.get().done)

    def test_a_worker_that_stands_still_is_seen_on_finances_desk_and_by_administrators(self):
        self.enter(self.priya)
        self.assertNotContains(self.client.get("/"), "worker stands still")
        Beat.objects.create(name=beats.MINUTELY, time=clock.machine() - beats.STILL - timedelta(seconds=5))
        self.assertLess(beats.STILL, timedelta(minutes=5))
        page = self.client.get("/")
        self.assertContains(page, "The worker stands still")
        self.assertContains(page, 'href="/running/"')
        self.assertContains(self.client.get("/running/"), "stands still")
        self.enter(self.callum)
        self.assertContains(self.client.get("/"), "The worker stands still")
        Beat.objects.update(time=clock.machine())
        self.assertNotContains(self.client.get("/"), "worker stands still")

    def test_errors_are_kept_by_their_place_and_told_once(self):
        def fail(value):
            raise ValueError(f"the IBAN {value}")

        for value in ("NO93", "NO94"):
            try:
                fail(value)
            except ValueError as error:
                failures.keep(error, "a page failed", "abc")
        row = Failure.objects.get()
        self.assertEqual((row.times, row.request), (2, "abc"))
        self.assertIn("test_operating.py", row.text)
        self.assertNotIn("NO9", row.text)
        self.assertEqual(failures.tell(), 0)
        with override_settings(OPERATORS=["ops@example.org"]), self.done():
            self.assertEqual((failures.tell(), failures.tell()), (1, 0))
        told = [each for each in mail.outbox if each.to == ["ops@example.org"]]
        self.assertEqual(len(told), 1)
        self.assertIn("2 ×", told[0].body)
        out = StringIO()
        call_command("failures", stdout=out)
        self.assertIn("ValueError: a page failed", out.getvalue())

    def test_the_handler_keeps_what_is_logged_with_its_error(self):
        handler = failures.Keeper(logging.ERROR)
        try:
            raise KeyError("x")
        except KeyError:
            record = logging.LogRecord("x", logging.ERROR, "f", 1, "it %s", ("broke",), sys.exc_info())
        handler.emit(record)
        handler.emit(logging.LogRecord("x", logging.ERROR, "f", 1, "without", (), None))
        self.assertEqual(Failure.objects.get().says, "KeyError: it broke")
