"""What each route takes, one line a route. A route without a line is refused to everybody, and fails the tests.

The first word after the address is the verb that somebody needs (see ``pages.people.openings.MAY``), ``any`` for whoever is signed
in, ``open`` for everybody. Then what else has to hold: ``change:KIND`` and ``marks:KIND``, that what is named by the address may
be changed by them, or its marks kept; ``rows``, that they read all rows of the dataset that is named; ``all-rows``, those of
all datasets; ``card``, that the edition that is named is of a scorecard they may change; ``into``, both of the dataset that
the question names, if it does; ``back:KIND``, that what was deleted might be changed by them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

ROUTES = """
GET    /api/health                                open
GET    /metrics                                   open
GET    /api/upkeep                                own
GET    /api/openapi.json                          open
GET    /api/docs                                  open
GET    /api/docs/start.js                         open
GET    /shared/{token}                            open
POST   /shared/{token}                            open
GET    /shared/{token}/file/{kind}                open
POST   /shared/{token}/file/{kind}                open

GET    /api/me                                    open
PATCH  /api/me                                    any
PUT    /api/me/password                           any
POST   /api/me/second                             any
PUT    /api/me/second                             any
DELETE /api/me/second                             any
GET    /api/me/sittings                           any
DELETE /api/me/sittings                           any
DELETE /api/me/sittings/{key}                     any
GET    /api/me/kept                               any
PUT    /api/me/kept/{name}                        any
POST   /api/sign-in                               open
POST   /api/sign-in/second                        open
GET    /api/sign-in/pass/{token}                  open
POST   /api/sign-in/pass/{token}                  open
POST   /api/sign-in/forgotten                     open
POST   /api/sign-out                              open
GET    /api/sign-in/elsewhere                     open
GET    /api/sign-in/elsewhere/back                open
GET    /api/groups                                own
PUT    /api/groups                                own

GET    /api/people                                make
POST   /api/people                                own
PUT    /api/people/{key}                          own
DELETE /api/people/{key}                          own
POST   /api/people/{key}/link                     own
DELETE /api/people/invited/{key}                  own
POST   /api/teams                                 own
PUT    /api/teams/{key}                           own
DELETE /api/teams/{key}                           own
GET    /api/openings/{kind}/{key}                 make
PUT    /api/openings/{kind}/{key}                 make
POST   /api/openings/usual                        own
GET    /api/openings/scorecard/{key}/as/{person}  own
GET    /api/trail                                 own
GET    /api/trail/file                            own
PUT    /api/trail/kept                            own
GET    /api/tokens                                any
POST   /api/tokens                                any
DELETE /api/tokens/{key}                          any

GET    /api/watches                               read
POST   /api/watches                               read
GET    /api/watches/choices                       read
POST   /api/watches/try                           read
GET    /api/watches/{key}                         read
PUT    /api/watches/{key}                         read
DELETE /api/watches/{key}                         read
GET    /api/watches/{key}/sent                    read
POST   /api/watches/{key}/trial                   read
POST   /api/deliveries/{key}/again                read
GET    /api/inbox                                 read
POST   /api/inbox/read                            read
POST   /api/inbox/{key}/read                      read
GET    /api/unfollow/{token}                      open
POST   /api/unfollow/{token}                      open
GET    /api/sending                               own
PUT    /api/sending                               own
GET    /api/sending/unsent                        own
GET    /api/hooks                                 make
POST   /api/hooks                                 own
PUT    /api/hooks/{key}                           own
POST   /api/hooks/{key}/secret                    own
DELETE /api/hooks/{key}                           own

GET    /api/front                                 read
GET    /api/front/drawings/{key}                  read
GET    /api/find                                  read
GET    /api/changes                               read
GET    /api/faces                                 read
GET    /api/faces/colours                         read
GET    /api/states                                read
GET    /api/palettes                              read
GET    /api/palettes/{key}                        read
GET    /api/palettes/{key}/revisions              make
GET    /api/images/{key}                          read
GET    /api/specimens                             read
GET    /api/specimens/{key}                       read
GET    /api/calendar                              read
GET    /api/holidays                              read
GET    /api/demo                                  read
GET    /api/notices                               make
POST   /api/notices/{number}/read                 make

GET    /api/scorecards                            read
GET    /api/scorecards/{key}                      read
GET    /api/scorecards/{key}/page                 read
POST   /api/scorecards/read                       read
POST   /api/scorecards/workings                   read
POST   /api/scorecards/ledger                     read
POST   /api/scorecards/export/{kind}              read
POST   /api/scorecards/{key}/here                 read
POST   /api/scorecards/faces                      make
POST   /api/scorecards/instrument                 make
POST   /api/scorecards/by-hand                    make
POST   /api/scorecards                            make
PUT    /api/scorecards/{key}                      make   change:scorecard
DELETE /api/scorecards/{key}                      make   change:scorecard
POST   /api/scorecards/{key}/back                 make   back:scorecard
GET    /api/scorecards/{key}/revisions            make

GET    /api/kpis                                  read
GET    /api/kpis/glances                          read
GET    /api/kpis/{key}                            read
GET    /api/kpis/{key}/uses                       read
GET    /api/kpis/{key}/signals                    read
GET    /api/kpis/{key}/revisions                  make
POST   /api/kpis/preview                          make
POST   /api/kpis/understand                       make
POST   /api/kpis/{key}/understand                 make
POST   /api/kpis                                  make
PUT    /api/kpis/{key}                            make   change:kpi
DELETE /api/kpis/{key}                            make   change:kpi
GET    /api/mark-names                            read
GET    /api/kpis/{key}/marks                      mark
POST   /api/kpis/{key}/marks                      mark   marks:kpi
POST   /api/kpis/{key}/marks/try                  mark   marks:kpi
POST   /api/kpis/{key}/marks/spread               mark   marks:kpi
POST   /api/kpis/{key}/marks/raise                mark   marks:kpi
PUT    /api/kpis/{key}/marks/computed             mark   marks:kpi
GET    /api/kpis/{key}/marks/sheet                mark
POST   /api/kpis/{key}/marks/sheet                mark   marks:kpi

GET    /api/notes                                 read
POST   /api/notes/about                           read
PUT    /api/notes                                 note
GET    /api/notes/{key}/revisions                 read

GET    /api/yardsticks                            read
GET    /api/yardsticks/{key}                      read
GET    /api/yardsticks/{key}/uses                 read
GET    /api/yardsticks/{key}/revisions            make
POST   /api/yardsticks/strip                      make
POST   /api/yardsticks/cuts                       make
POST   /api/yardsticks/rules                      make
POST   /api/yardsticks/deal                       make
POST   /api/yardsticks/propose                    make
POST   /api/yardsticks/{key}/impact               make
POST   /api/yardsticks                            make
PUT    /api/yardsticks/{key}                      make
DELETE /api/yardsticks/{key}                      make
POST   /api/palettes/check                        make
POST   /api/palettes                              make
PUT    /api/palettes/{key}                        make
DELETE /api/palettes/{key}                        make
POST   /api/images                                make

GET    /api/assumptions                           read
GET    /api/assumptions/{key}                     read
GET    /api/assumptions/{key}/about               make
GET    /api/assumptions/{key}/revisions           make
POST   /api/assumptions                           make
PUT    /api/assumptions/{key}                     make
DELETE /api/assumptions/{key}                     make
GET    /api/cases                                 read
GET    /api/cases/{key}                           read
GET    /api/cases/{key}/revisions                 make
POST   /api/cases/compare                         read
POST   /api/cases                                 make
PUT    /api/cases/{key}                           make
DELETE /api/cases/{key}                           make

GET    /api/editions                              read
GET    /api/editions/schema                       read
POST   /api/editions/check                        read
GET    /api/editions/{key}                        read
GET    /api/editions/{key}/sent                   make
GET    /api/editions/{key}/drawing                read
GET    /api/editions/{key}/workings               read
GET    /api/editions/{key}/compare                read
GET    /api/editions/{key}/export/{kind}          read
GET    /api/editions/{key}/leaf                   read
POST   /api/editions                              make
PUT    /api/editions/{key}                        make   card
DELETE /api/editions/{key}                        make   card
POST   /api/editions/{key}/publish                make   card
POST   /api/editions/{key}/withdraw               make   card
PUT    /api/editions/{key}/open                   make   card
GET    /api/books                                 make
GET    /api/books/{key}                           make
GET    /api/books/{key}/revisions                 make
GET    /api/books/{key}/export/{kind}             make
POST   /api/books                                 make
PUT    /api/books/{key}                           make
DELETE /api/books/{key}                           make
POST   /api/exports                               read
GET    /api/exports/{key}                         read
DELETE /api/exports/{key}                         read
GET    /api/exports/{key}/file                    read
GET    /api/links                                 make   all-rows
POST   /api/links                                 make   all-rows
POST   /api/links/each                            make   all-rows
DELETE /api/links/{key}                           make   all-rows
GET    /api/standing                              make   all-rows
POST   /api/standing                              make   all-rows
PUT    /api/standing/{key}                        make   all-rows
DELETE /api/standing/{key}                        make   all-rows
POST   /api/standing/{key}/make                   make   all-rows
POST   /api/standing/{key}/skip                   make   all-rows
GET    /api/slide-template                        read
PUT    /api/slide-template                        make
DELETE /api/slide-template                        make
POST   /api/holidays                              make
DELETE /api/holidays/{key}                        make
PUT    /api/calendar                              own
GET    /api/bundle                                make   all-rows
POST   /api/bundle                                own
POST   /api/bundle/look                           own
POST   /api/demo                                  own

GET    /api/datasets                              make
GET    /api/datasets/{key}                        make
GET    /api/datasets/{key}/rows                   make   rows
GET    /api/datasets/{key}/rows/page              make   rows
GET    /api/datasets/{key}/columns/{name}         make   rows
GET    /api/datasets/{key}/versions               make   rows
POST   /api/datasets/{key}/versions/{number}/show make   rows change:dataset
POST   /api/datasets/{key}/rows                   upload rows change:dataset
POST   /api/datasets/{key}/token                  make   rows change:dataset
POST   /api/datasets                              make
POST   /api/datasets/sheets                       make
PATCH  /api/datasets/{key}                        make   rows change:dataset
DELETE /api/datasets/{key}                        make   rows change:dataset
POST   /api/datasets/typed                        make
GET    /api/datasets/{key}/sheet                  make   rows
PUT    /api/datasets/{key}/sheet                  make   rows change:dataset
POST   /api/datasets/checklists                   make
GET    /api/datasets/{key}/checklist              make   rows
PUT    /api/datasets/{key}/checklist              make   rows change:dataset
POST   /api/datasets/live/look                    own
POST   /api/datasets/live                         own
PUT    /api/datasets/{key}/connection             own
GET    /api/datasets/folders                      make
POST   /api/datasets/folder                       own
GET    /api/datasets/hosts                        make
POST   /api/datasets/kept                         make   all-rows
GET    /api/datasets/{key}/refresh                make   rows
PUT    /api/datasets/{key}/refresh                make   rows change:dataset
DELETE /api/datasets/{key}/refresh                make   rows change:dataset
POST   /api/datasets/{key}/refresh/now            make   rows change:dataset
POST   /api/datasets/{key}/refresh/held           make   rows change:dataset
GET    /api/datasets/{key}/lookups                make   rows
PUT    /api/datasets/{key}/lookups                make   rows change:dataset
POST   /api/datasets/{key}/lookups/try            make   rows
PUT    /api/datasets/{key}/derived                make   rows change:dataset
POST   /api/datasets/{key}/derived/try            make   rows
POST   /api/uploads                               make   into
POST   /api/uploads/look                          make
POST   /api/uploads/unfold                        make
GET    /api/uploads/{key}                         make
DELETE /api/uploads/{key}                         make
GET    /api/uploads/{key}/pieces                  make
POST   /api/uploads/{key}/pieces                  make   into
DELETE /api/uploads/{key}/pieces                  make
PUT    /api/uploads/{key}/pieces/{place}          make
POST   /api/from-rows                             make   all-rows
POST   /api/from-rows/back                        make   all-rows
POST   /api/from-rows/make                        make   all-rows
"""


@dataclass(frozen=True)
class Line:
    """What a route takes. needs: what else has to hold, each a word and the kind it is about, "" where it is plain."""

    verb: str
    needs: tuple[tuple[str, str], ...] = ()


@lru_cache(maxsize=1)
def lines() -> dict[tuple[str, str], Line]:
    """By method and address."""
    found = {}
    for text in ROUTES.splitlines():
        if words := text.split():
            method, path, verb, *needs = words
            found[method, path] = Line(verb, tuple((need.partition(":")[0], need.partition(":")[2]) for need in needs))
    return found
