"""The page of a stand-in: what came, and how it is to behave."""

from __future__ import annotations

from html import escape

from fastapi.responses import HTMLResponse

STYLE = (
    "body{font:15px/1.5 Archivo,Helvetica,Arial,sans-serif;background:#f2f0eb;color:#1e282e;margin:0 auto;max-width:860px;padding:24px}"
    "article{background:#fcfbf8;border:1px solid #d9d5cc;border-radius:4px;padding:12px 16px;margin:12px 0}"
    "button{font:inherit;padding:4px 12px;margin-right:6px}button[disabled]{background:#20282e;color:#fff}"
    "iframe{width:100%;height:520px;border:1px solid #d9d5cc;background:#fff}pre{white-space:pre-wrap;overflow-wrap:anywhere}form{display:inline}"
)


def page(title: str, told: str, modes: dict[str, str], mode: str, articles: list[str]) -> HTMLResponse:
    """modes: by key what each does; articles: what came, the newest first, as HTML."""
    buttons = "".join(
        f'<form method="post" action="/do/{key}"><button{" disabled" if key == mode else ""}>{escape(words)}</button></form>'
        for key, words in modes.items()
    )
    body = f"<h1>{escape(title)}</h1><p>{told}</p><p>{buttons}</p><h2>{len(articles)} came</h2>{''.join(articles)}"
    return HTMLResponse(
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><meta http-equiv="refresh" content="5"><title>{escape(title)}</title>'
        f"<style>{STYLE}</style></head><body>{body}</body></html>"
    )
