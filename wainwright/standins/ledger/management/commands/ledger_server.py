"""Serve the ledger stand-in as a process of its own, over HTTP and JSON."""

from __future__ import annotations

from socketserver import ThreadingMixIn
from wsgiref.simple_server import WSGIRequestHandler, WSGIServer, make_server

from django.core.management.base import BaseCommand
from django.db import close_old_connections

from wainwright.standins.ledger.api import TOKEN, application


class _Server(ThreadingMixIn, WSGIServer):
    daemon_threads = True


class _Quiet(WSGIRequestHandler):
    def log_message(self, format, *args):
        """Say nothing of single requests."""


def _served(environ, start_response):
    close_old_connections()
    try:
        return application(environ, start_response)
    finally:
        close_old_connections()


class Command(BaseCommand):
    """Serves until it is ended."""

    help = "Serve the ledger stand-in over HTTP: the API of adapters/ledger.openapi.yaml."

    def add_arguments(self, parser):
        """Where it listens."""
        parser.add_argument("--port", type=int, default=8090)

    def handle(self, *args, **options):
        """Listen on this machine alone."""
        with make_server("127.0.0.1", options["port"], _served, server_class=_Server, handler_class=_Quiet) as server:
            self.stdout.write(f"The ledger listens at http://127.0.0.1:{server.server_port}, its token is {TOKEN}")
            self.stdout.flush()
            server.serve_forever()
