"""Requests followed through their parts, sent to a collector that speaks OTLP over HTTP."""

from __future__ import annotations

from opentelemetry import trace
from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
from opentelemetry.instrumentation.django import DjangoInstrumentor
from opentelemetry.sdk.resources import SERVICE_NAME, Resource
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import BatchSpanProcessor, SpanExporter


def follow(address: str, exporter: SpanExporter | None = None) -> TracerProvider:
    """Follow each request from now on; ``address`` is the collector's, such as http://127.0.0.1:4318."""
    provider = TracerProvider(resource=Resource.create({SERVICE_NAME: "wainwright"}))
    sent_by = exporter or OTLPSpanExporter(endpoint=f"{address.rstrip('/')}/v1/traces")
    provider.add_span_processor(BatchSpanProcessor(sent_by))
    trace.set_tracer_provider(provider)
    DjangoInstrumentor().instrument(tracer_provider=provider, is_sql_commentor_enabled=False)
    return provider
