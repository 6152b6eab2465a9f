"""A message as mail: text and HTML with what is drawn of it within, and a way out of it in one press."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from email.message import EmailMessage
from email.utils import format_datetime, parseaddr
from html import escape
from typing import Any

INK, SOFT, LINE, GROUND, PAPER = "#1e282e", "#55626a", "#d9d5cc", "#f2f0eb", "#fcfbf8"
FONT = "font-family:Archivo,'Helvetica Neue',Arial,sans-serif"


@dataclass(frozen=True)
class File:
    """Something that goes along. within: whether it is shown in the message, else it is attached."""

    name: str
    media: str
    body: bytes
    within: bool = False


@dataclass(frozen=True)
class Letter:
    """What is sent to one address. id: by which repeats can be dropped; home: the address of this installation, "" where nobody
    has said it; off: the address that ends this kind of mail;
    missing: forms that should go along and could not be drawn. told: messages, each with its heading and what it tells."""

    id: str
    to: str
    sender: str
    home: str
    subject: str
    at: dt.datetime
    told: Sequence[Mapping[str, Any]]
    files: Sequence[File] = ()
    off: str = ""
    missing: Sequence[str] = ()


def message_id(key: str, sender: str) -> str:
    domain = parseaddr(sender)[1].rpartition("@")[2] or "localhost"
    return f"<{key}@{domain}>"


def written(letter: Letter) -> EmailMessage:
    """The letter as it goes to the mail server. The same letter is the same bytes, however often it is tried."""
    mail = EmailMessage()
    mail["From"], mail["To"] = letter.sender, letter.to
    mail["Subject"] = " ".join(letter.subject.split())[:250]
    mail["Date"] = format_datetime(letter.at.replace(tzinfo=dt.UTC))
    mail["Message-ID"] = message_id(letter.id, letter.sender)
    mail["Auto-Submitted"] = "auto-generated"
    if letter.off:
        mail["List-Unsubscribe"], mail["List-Unsubscribe-Post"] = f"<{letter.off}>", "List-Unsubscribe=One-Click"
    within = [file for file in letter.files if file.within]
    mail.set_content(_text(letter))
    mail.add_alternative(_html(letter, within), subtype="html")
    parts = mail.get_payload()
    assert isinstance(parts, list)
    for n, file in enumerate(within):
        main, _, sub = file.media.partition("/")
        cid = f"<{_cid(letter, n)}>"
        parts[1].add_related(file.body, main, sub, cid=cid, filename=file.name, disposition="inline")  # type: ignore[union-attr]
    for file in letter.files:
        if not file.within:
            main, _, sub = file.media.partition(";")[0].partition("/")
            mail.add_attachment(file.body, main, sub, filename=file.name)
    mark = hashlib.sha256(letter.id.encode()).hexdigest()[:24]
    for n, part in enumerate(one for one in mail.walk() if one.is_multipart()):
        part.set_boundary(f"=={mark}-{n}==")
    return mail


def _cid(letter: Letter, n: int) -> str:
    return f"{n}.{message_id(letter.id, letter.sender)[1:-1]}"


def heading_of(item: Mapping[str, Any]) -> str:
    kinds = {"restated": "Restated: ", "taken back": "No longer so: "}
    name = f"{item['who']} · {item['kpi']}" if item["who"] else item["kpi"]
    return f"{kinds.get(item['kind'], '')}{name}"


def lines_of(item: Mapping[str, Any]) -> list[str]:
    """What an item says, line by line, its states in words."""
    states = [one["name"] for one in (item["before"], item["state"]) if one]
    value = f"{item['shown']} in {item['period']}" if item["shown"] else item["period"]
    said = f"{value}, {item['against']}" if item["against"] else value
    lines = [f"{' → '.join(states)}: {said}." if states else f"{said}."]
    if item["since"]:
        lines.append(f"{item['since']}.")
    if item["why"]:
        lines.append(f"{'A signal: ' if item['signal'] else ''}{item['why']}.")
    if item["note"]:
        lines.append(f"“{item['note']}”")
    return lines


def _text(letter: Letter) -> str:
    out = []
    for message in letter.told:
        if len(letter.told) > 1:
            out += [message["watch"], "=" * min(70, len(message["watch"])), ""]
        for item in message["items"]:
            out += [heading_of(item), *lines_of(item)]
            if letter.home and item["link"]:
                out.append(f"{letter.home}/{item['link']}")
            out.append("")
    out += [_not_along(one) for one in letter.missing]
    out.append(_foot(letter))
    if letter.off:
        out.append(f"No more of this: {letter.off}")
    return "\n".join(out) + "\n"


def _foot(letter: Letter) -> str:
    watches = list(dict.fromkeys(message["watch"] for message in letter.told if message["watch"]))
    by = f", by the watch {', '.join(f'“{name}”' for name in watches)}" if watches else ""
    return f"Sent by Iron Mark{by}."


def _not_along(kind: str) -> str:
    return f"The {kind.upper()} could not be drawn; take it out where the link leads."


def _plate(state: Mapping[str, str] | None) -> str:
    if not state:
        return ""
    style = f"display:inline-block;background:{escape(state['colour'])};width:10px;height:10px;border-radius:2px;margin-right:5px"
    return f'<span style="white-space:nowrap"><span style="{style}"></span><b>{escape(state["name"])}</b></span>'


def _item(letter: Letter, item: Mapping[str, Any]) -> str:
    states = [_plate(one) for one in (item["before"], item["state"]) if one]
    value = f"{item['shown']} in {item['period']}" if item["shown"] else item["period"]
    said = f"<b>{escape(value)}</b>{', ' + escape(item['against']) if item['against'] else ''}."
    rows = [f'<p style="margin:0 0 2px;font-size:16px"><b>{escape(heading_of(item))}</b></p>']
    if states:
        rows.append(f'<p style="margin:2px 0">{" &rarr; ".join(states)}</p>')
    rows.append(f'<p style="margin:2px 0">{said}{" " + escape(item["since"]) + "." if item["since"] else ""}</p>')
    if item["why"]:
        why = f"{'<b>A signal:</b> ' if item['signal'] else ''}{escape(item['why'])}."
        rows.append(f'<p style="margin:2px 0;color:{SOFT}">{why}</p>')
    if item["note"]:
        rows.append(
            f'<p style="margin:4px 0;padding-left:10px;border-left:3px solid {LINE}">{escape(item["note"])}</p>'
        )
    if letter.home and item["link"]:
        link = escape(f"{letter.home}/{item['link']}", quote=True)
        rows.append(f'<p style="margin:4px 0"><a href="{link}" style="color:#5b3a8c">Look at it</a></p>')
    return f'<tr><td style="padding:12px 18px;border-top:1px solid {LINE}">{"".join(rows)}</td></tr>'


def _html(letter: Letter, within: Sequence[File]) -> str:
    rows = []
    for message in letter.told:
        if len(letter.told) > 1:
            rows.append(f'<tr><td style="padding:14px 18px 6px;color:{SOFT}">{escape(message["watch"])}</td></tr>')
        rows += [_item(letter, item) for item in message["items"]]
    for n, file in enumerate(within):
        image = f'<img src="cid:{escape(_cid(letter, n))}" alt="{escape(file.name)}" width="520" style="width:100%;max-width:520px">'
        rows.append(f'<tr><td style="padding:6px 18px 14px">{image}</td></tr>')
    for kind in letter.missing:
        rows.append(f'<tr><td style="padding:6px 18px">{escape(_not_along(kind))}</td></tr>')
    foot = escape(_foot(letter))
    if letter.off:
        foot += f' <a href="{escape(letter.off, quote=True)}" style="color:{SOFT}">No more of this</a>'
    return (
        f'<!doctype html><html><head><meta charset="utf-8"><title>{escape(letter.subject)}</title></head>'
        f'<body style="margin:0;background:{GROUND}">'
        f'<table role="presentation" width="100%" cellspacing="0" cellpadding="0" style="background:{GROUND};{FONT}"><tr><td align="center" style="padding:18px">'
        f'<table role="presentation" width="560" cellspacing="0" cellpadding="0" style="max-width:560px;background:{PAPER};color:{INK};font-size:14px;line-height:1.4;border:1px solid {LINE};text-align:left">'
        f'<tr><td style="padding:14px 18px;background:#20282e;color:#fff;letter-spacing:2px"><b>IRON MARK</b></td></tr>'
        f"{''.join(rows)}"
        f'<tr><td style="padding:12px 18px;border-top:1px solid {LINE};color:{SOFT};font-size:12px">{foot}</td></tr>'
        "</table></td></tr></table></body></html>"
    )
