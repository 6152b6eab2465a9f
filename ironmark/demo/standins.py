"""What stands in for other programs, so that this one can be tried with them on one machine."""

from __future__ import annotations

from fastapi import FastAPI

from ironmark.demo import standin_identity, standin_mail, standin_webhook

KINDS = ("identity", "mail", "webhook")


def made(what: str, port: int, smtp_port: int) -> tuple[FastAPI, str]:
    """One of them, and what is told when it is started."""
    address = f"http://127.0.0.1:{port}"
    if what == "identity":
        told = f"A directory is ready: {address}\nStart with IRONMARK_IDENTITY_SECRET={standin_identity.SECRET} ./run --sign-in --identity {address}"
        return standin_identity.create_standin(address), told
    if what == "mail":
        told = f"A mail server is ready on 127.0.0.1, port {smtp_port}, without TLS. What comes is shown at {address}"
        return standin_mail.create_standin(smtp_port), told
    told = f"A receiver of webhooks is ready: {address}/events\nStart with ./run --send-to 127.0.0.1. What comes is shown at {address}"
    return standin_webhook.create_standin(address), told
