"""Small tables as people keep them, each with what it must come to."""

import datetime as dt
import io
import unittest
from typing import Any

import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.tables.files import deviations, look_at, read_table, recipe_of
from ironmark.tables.grid import grid_of
from ironmark.tables.quantities import measure_of, quantity, taken_apart
from ironmark.tables.table import Unreadable
from ironmark.tables.understanding import understand
from tests.tables.as_kept import MORE

# name: table, rows, grain, the columns, the first row (days as ISO), what more (kinds of lines, blanks, units)
TABLES: dict[str, tuple[str, int, str | None, list[str], list[Any], dict[str, Any]]] = {
    "months across": ("Site,Jan 2026,Feb 2026\nA,1,2\nB,3,4", 4, "month", ["Site", "Month", "Value"], ["A", "2026-01-01", 1.0], {}),
    "decimal commas": ("Werk;Jan 2026;Feb 2026\nNord;1.234,5;2.000,25\nSüd;10;20", 4, "month", ["Werk", "Month", "Value"], ["Nord", "2026-01-01", 1234.5], {}),
    "quarters across": ("Region\tQ1 2025\tQ2 2025\nNord\t1\t2", 2, "quarter", ["Region", "Quarter", "Value"], ["Nord", "2025-01-01", 1.0], {}),
    "halves across": ("Region,H1 2025,H2 2025\nNord,1,2", 2, "half", ["Region", "Half-year", "Value"], ["Nord", "2025-01-01", 1.0], {}),
    "years across": ("Land,2023,2024,2025\nA,100,110,120", 3, "year", ["Land", "Year", "Value"], ["A", "2023-01-01", 100.0], {}),
    "newest year first": ("Land,2025,2024,2023\nA,100,110,120", 3, "year", ["Land", "Year", "Value"], ["A", "2025-01-01", 100.0], {}),
    "weeks across": ("Team,W1 2026,W2 2026\nA,1,2", 2, "week", ["Team", "Week", "Value"], ["A", "2025-12-29", 1.0], {}),
    "financial years": ("Dept,FY24/25,FY25/26\nA,1,2", 2, "year", ["Dept", "Year", "Value"], ["A", "2024-01-01", 1.0], {}),
    "days across": ("Ward,1 May 2026,2 May 2026\nA,1,2", 2, "day", ["Ward", "Day", "Value"], ["A", "2026-05-01", 1.0], {}),
    "the year in the title": ("Visitors 2026\nMuseum,Jan,Feb,Mar\nA,1,2,3", 3, "month", ["Museum", "Month", "Visitors"], ["A", "2026-01-01", 1.0], {"title": 1}),
    "in another language": ("Umsatz 2026 in T€\nFiliale;Jan;Feb;Mrz\nKöln;12,5;13,1;k.A.\nSumme;12,5;13,1;0", 3, "month", ["Filiale", "Month", "Umsatz"], ["Köln", "2026-01-01", 12500.0], {"title": 1, "total": 1, "unit": {"Umsatz": "EUR"}, "blanks": ("k.A.",)}),
    "French": ("Ventes 2026\nMagasin;janv.;févr.;mars\nLyon;1;2;3", 3, "month", ["Magasin", "Month", "Ventes"], ["Lyon", "2026-01-01", 1.0], {"title": 1}),
    "KPIs down": ("Figure,Unit,Target,Jan 2026,Feb 2026\nOn time,%,92%,90.4%,91.8%\nWaiting,min,14,16.2,15.1\nDues,£k,118,96.2,99", 2, "month", ["Month", "On time", "On time target", "Waiting", "Waiting target", "Dues", "Dues target"], ["2026-01-01", 0.904, 0.92, 16.2, 14.0, 96200.0, 118000.0], {"unit": {"On time": "%", "Waiting": "min", "Dues": "GBP"}}),
    "parts of KPIs": ("KPI,Jan 2026,Feb 2026\nSales (€k),10,11\n  of which online,1,2", 2, "month", ["Month", "Sales", "Sales of which online"], ["2026-01-01", 10000.0, 1.0], {}),
    "a list with months": ("Month,Site,Pax,Revenue (£k)\nJan 2026,Nord,120,1.5\nFeb 2026,Nord,130,1.7", 2, "month", ["Month", "Site", "Pax", "Revenue"], ["2026-01-01", "Nord", 120.0, 1500.0], {"unit": {"Revenue": "GBP"}}),
    "no figure in the first row": ("ημέρα;φαρμακείο;συνταγές\n2026-10-01;Άγιος;\n2026-10-02;Βόρεια;4\n2026-10-03;Άγιος;5", 3, "day", ["ημέρα", "φαρμακείο", "συνταγές"], ["2026-10-01", "Άγιος", None], {}),
    "none in several first rows": ("Region,Rep,Sold,Due\nNorth,Ann,n/a,\nNorth,Bo,,n/a\nSouth,Cy,7,2", 3, None, ["Region", "Rep", "Sold", "Due"], ["North", "Ann", None, None], {"blanks": ("n/a",)}),
    "names headed below the months": (",,Jan 2026,Feb 2026,Mar 2026\nRegion,Rep,,,\nNorth,Ann,1,2,3\nSouth,Bo,4,5,6", 6, "month", ["Region", "Rep", "Month", "Value"], ["North", "Ann", "2026-01-01", 1.0], {}),
    "a group below a blank corner": (",Jan 2026,Feb 2026\nNorth,,\na,1,2\nb,3,4\nSouth,,\nc,5,6", 6, "month", ["Group", "Member", "Month", "Value"], ["North", "a", "2026-01-01", 1.0], {"group": 2}),
    "a unit below the head": ("Dzień;Piec;Zużycie\n;;kWh\n2026-10-01;A;7\n2026-10-02;B;8", 2, "day", ["Dzień", "Piec", "Zużycie kWh"], ["2026-10-01", "A", 7.0], {}),
    "a head of two lines over words": (",,Sales,Cost\nRegion,Rep,EUR,EUR\nNorth,Ann,7,2\nSouth,Cy,8,3", 2, None, ["Region", "Rep", "Sales EUR", "Cost EUR"], ["North", "Ann", 7.0, 2.0], {}),
    "year and month apart": ("Year,Month,Out\n2026,1,100\n2026,2,110", 2, "month", ["Month", "Out"], ["2026-01-01", 100.0], {}),
    "year and quarter apart": ("Jahr;Quartal;Menge\n2026;Q1;5\n2026;Q2;6", 2, "quarter", ["Quarter", "Menge"], ["2026-01-01", 5.0], {}),
    "year above months": (",2025,,2026,\nSite,Nov,Dec,Jan,Feb\nA,1,2,3,4", 4, "month", ["Site", "Month", "Value"], ["A", "2025-11-01", 1.0], {}),
    "measures above months": (",Sales,,Cost,\nSite,Jan 2026,Feb 2026,Jan 2026,Feb 2026\nA,1,2,3,4", 2, "month", ["Site", "Month", "Sales", "Cost"], ["A", "2026-01-01", 1.0, 3.0], {}),
    "totals by word": ("Site,Jan 2026,Feb 2026\nA,1,2\nB,3,4\nTotal,4,6", 4, "month", ["Site", "Month", "Value"], ["A", "2026-01-01", 1.0], {"total": 1}),
    "totals by value": ("Site,Jan 2026,Feb 2026\nA,1,2\nB,3,4\nEverybody,4,6", 4, "month", ["Site", "Month", "Value"], ["A", "2026-01-01", 1.0], {"total": 1}),
    "a total that is wrong": ("Site,Jan 2026,Feb 2026\nA,1,2\nB,3,4\nTotal,5,6", 4, "month", ["Site", "Month", "Value"], ["A", "2026-01-01", 1.0], {"total": 1, "differs": 1}),
    "a total across": ("Site,Jan 2026,Feb 2026,Total\nA,1,2,3\nB,4,5,9", 4, "month", ["Site", "Month", "Value"], ["A", "2026-01-01", 1.0], {}),
    "groups": ("Report 2026\nStation,Jan,Feb\nNorth\nAlpha,1,2\nBeta,4,5\nSubtotal,5,7\nSouth\nGamma,7,8\nDelta,1,1\nTotal,13,16", 8, "month", ["Group", "Station", "Month", "Report"], ["North", "Alpha", "2026-01-01", 1.0], {"title": 1, "total": 2, "group": 2}),
    "blank lines and notes": ("Title of it 2026\n\nSite,Jan,Feb\n\nA,1,2\n\nB,3,4\n\nSource: the ledger of the office", 4, "month", ["Site", "Month", "Title of it"], ["A", "2026-01-01", 1.0], {"title": 1, "note": 1}),
    "carried down": ("Month,Site,Value\nJan 2026,A,1\n,B,2\nFeb 2026,A,3\n,B,4", 4, "month", ["Month", "Site", "Value"], ["2026-01-01", "A", 1.0], {}),
    "the period in the title": ("Branch report October 2026\n\nBranch,Members\nA,10\nB,20", 2, "month", ["Month", "Branch", "Members"], ["2026-10-01", "A", 10.0], {"title": 1}),
    "units in cells": ("Tag;Dauer;Anteil\n1.5.2026;12 min;45 %\n2.5.2026;15 min;50 %", 2, "day", ["Tag", "Dauer", "Anteil"], ["2026-05-01", 12.0, 0.45], {"unit": {"Dauer": "min", "Anteil": "%"}}),
    "percents as numbers": ("Tag;Anteil (%)\n1.5.2026;45,5\n2.5.2026;50,0", 2, "day", ["Tag", "Anteil"], ["2026-05-01", 0.455], {"unit": {"Anteil": "%"}}),
    "shares under a percent head": ("Day,Share (%)\n1 May 2026,0.455\n2 May 2026,0.5", 2, "day", ["Day", "Share"], ["2026-05-01", 0.455], {"unit": {"Share": "%"}}),
    "brackets and footnotes": ("Month,Result £\nJan 2026,(5.25)\nFeb 2026,7-\nMar 2026,12*", 3, "month", ["Month", "Result £"], ["2026-01-01", -5.25], {}),
    "day numbers": ("Date,Value\n46023,5\n46024,6", 2, "day", ["Date", "Value"], ["2026-01-01", 5.0], {}),
    "a title over a list": ("Log of the day\nDay,Route,Pax\n2026-01-01,A,5\n2026-01-02,B,6", 2, "day", ["Day", "Route", "Pax"], ["2026-01-01", "A", 5.0], {"title": 1}),
    "two segments": ("Region,Site,Jan 2026,Feb 2026\nNord,A,1,2\n,B,3,4\nS,C,5,6\n,D,7,8", 8, "month", ["Region", "Site", "Month", "Value"], ["Nord", "A", "2026-01-01", 1.0], {}),
    "nothing but blanks in a month": ("Site,Jan 2026,Feb 2026\nA,n/a,2\nB,#DIV/0!,4", 4, "month", ["Site", "Month", "Value"], ["A", "2026-01-01", None], {"blanks": ("n/a", "#DIV/0!")}),
    "the head twice": ("Site,Jan 2026,Feb 2026\nA,1,2\nSite,Jan 2026,Feb 2026\nB,3,4", 4, "month", ["Site", "Month", "Value"], ["A", "2026-01-01", 1.0], {"out": 1}),
    "months without a year beside what is said of them": ("Department 2026,Jan Act,Jan Bud,Feb Act,Feb Bud\nKitchen,100,120,90,110\nGarden,10,12,9,11", 4, "month", ["Department 2026", "Month", "Value", "Value target"], ["Kitchen", "2026-01-01", 100.0, 120.0], {}),
    "short years behind what is said of them": ("Abteilung;Ist Jan 26;Plan Jan 26;Ist Feb 26;Plan Feb 26\nKüche;100;120;90;110", 2, "month", ["Abteilung", "Month", "Value", "Value target"], ["Küche", "2026-01-01", 100.0, 120.0], {}),
    "questions are no quarters": ("Day,Q1 clean,Q2 clean,Q3 kind\n2026-05-01,4,5,3\n2026-05-02,5,5,4", 2, "day", ["Day", "Q1 clean", "Q2 clean", "Q3 kind"], ["2026-05-01", 4.0, 5.0, 3.0], {}),
    "weeks by their first day": (",w/c 05/01/2026,,w/c 12/01/2026,\nQueue,Offered,Answered,Offered,Answered\nNew,400,380,500,490\nMoves,40,38,50,49", 4, "week", ["Queue", "Week", "Offered", "Answered"], ["New", "2026-01-05", 400.0, 380.0], {}),
    "KPIs below each other in a list": ("Month,KPI,Unit,Actual,Target\n2026-01,On time,%,92.5,95\n2026-01,Faults,#,12,10\n2026-01,Takings,£k,113,120\n2026-02,On time,%,94.5,95\n2026-02,Faults,#,9,10\n2026-02,Takings,£k,118,120", 2, "month", ["Month", "On time", "On time target", "Faults", "Faults target", "Takings", "Takings target"], ["2026-01-01", 0.925, 0.95, 12.0, 10.0, 113000.0, 120000.0], {"unit": {"On time": "%", "Takings": "GBP"}}),
    "the same of two sites": ("Site;Monat;Kennzahl;Wert\nA;01/2026;Umsatz (T€);12,5\nA;01/2026;Quote;45 %\nB;01/2026;Umsatz (T€);10,5\nB;01/2026;Quote;55 %", 2, "month", ["Site", "Month", "Umsatz", "Quote"], ["A", "2026-01-01", 12500.0, 0.45], {"unit": {"Umsatz": "EUR", "Quote": "%"}}),
    "an indicator that is told twice": ("Month,Indicator,Value\n2026-01,Visits,5\n2026-01,Visits,6\n2026-02,Calls,7", 3, "month", ["Month", "Indicator", "Value"], ["2026-01-01", "Visits", 5.0], {}),
    "an indicator in two units": ("Month,Indicator,Value\n2026-01,Sales,5\n2026-01,Sales (£k),6\n2026-02,Calls,7", 3, "month", ["Month", "Indicator", "Value"], ["2026-01-01", "Sales", 5.0], {}),
    "items are sold": ("Month,Item,Sold\n2026-01,Hats,5\n2026-01,Caps,6\n2026-02,Hats,7\n2026-02,Caps,7", 4, "month", ["Month", "Item", "Sold"], ["2026-01-01", "Hats", 5.0], {}),
    "months below their quarters": (";Q1 2026;;;;Q2 2026;\n;Jan;;Feb;;Apr;\nWerk;Soll;Ist;Soll;Ist;Soll;Ist\nNord;10;11;12;13;14;15\nSüd;20;21;22;23;24;25", 6, "month", ["Werk", "Month", "Value target", "Value"], ["Nord", "2026-01-01", 10.0, 11.0], {}),
    "how long things took below months": ("Average response (min:s)\nStation,Jan 2026,Feb 2026\nHill,4:30,5:15\nMill,7:00,n/a", 4, "month", ["Station", "Month", "Average response (min:s)"], ["Hill", "2026-01-01", 4.5], {"title": 1, "blanks": ("n/a",), "unit": {"Average response (min:s)": "min"}}),
    "times of the day below days": ("Ferry,1 May 2026,2 May 2026\nNorth,8:30,9:15\nSouth,17:00,16:45", 4, "day", ["Ferry", "Day", "Value"], ["North", "2026-05-01", "8:30"], {}),
    "bounds for targets": ("Kennzahl;Einheit;Ziel;Jan 2026;Feb 2026\nUmschlag;Tsd. t;120;118,2;121,9\nLiegezeit;h;≤ 18;19,2;17,8\nPünktlichkeit;%;> 92 %;91,2%;93,0%", 2, "month", ["Month", "Umschlag", "Umschlag target", "Liegezeit", "Liegezeit target", "Pünktlichkeit", "Pünktlichkeit target"], ["2026-01-01", 118200.0, 120000.0, 19.2, 18.0, 0.912, 0.92], {"unit": {"Umschlag": "t", "Liegezeit": "h"}}),
    "KPIs in other letters": ("部署,項目,2026年1月,2026年2月\n営業,残業時間,12,14\n営業,目標,10,10\n営業,有給取得率,60%,70%", 2, "month", ["部署", "Month", "残業時間", "残業時間 target", "有給取得率"], ["営業", "2026-01-01", 12.0, 10.0, 0.6], {}),
    "percents beside plain figures": ("Ward,Jan 2026,Feb 2026\nBeds in use,91%,94%\nFalls,12,9", 2, "month", ["Month", "Beds in use", "Falls"], ["2026-01-01", 0.91, 12.0], {}),
    "digits of another script": ("الفرع,التاريخ,الطلبات,الحصة\nالشمال,٢٠٢٦-٠٥-٠١,١٢٠,٤٥٫٥٪\nالجنوب,٢٠٢٦-٠٥-٠٢,٩٠,٥٠٪", 2, "day", ["التاريخ", "الفرع", "الطلبات", "الحصة"], ["2026-05-01", "الشمال", 120.0, 0.455], {}),
    "hours across": ("Date,Meter," + ",".join(map(str, range(24))) + "\n" + "\n".join(f"2026-05-0{d},M1," + ",".join(["0.5"] * 24) for d in (1, 2)), 48, "day", ["Day", "Meter", "Hour", "Value"], ["2026-05-01", "M1", "00 h", 0.5], {}),
    "figures that go up like hours": ("Day," + ",".join(f"gauge {n}" for n in range(9)) + "\n2026-05-01," + ",".join(f"{n}h" for n in range(4, 13)) + "\n2026-05-02," + ",".join(f"{n}h" for n in range(5, 14)), 2, "day", ["Day", *(f"gauge {n}" for n in range(9))], ["2026-05-01", *(float(n) for n in range(4, 13))], {}),
    "some hours with their sign": ("Tag;" + ";".join(f"{h} h" for h in range(6, 20)) + "\n01.05.2026;" + ";".join(["3"] * 14) + "\n02.05.2026;" + ";".join(["4"] * 14), 28, "day", ["Day", "Hour", "Value"], ["2026-05-01", "06 h", 3.0], {}),
    "days of a week across": ("Week commencing,Team,Sun,Mon,Tue,Wed,Thu,Fri,Sat\n03/05/2026,Red,1,2,3,4,5,6,7\n10/05/2026,Red,2,3,4,5,6,7,8", 14, "day", ["Day", "Team", "Value"], ["2026-05-03", "Red", 1.0], {}),
    "weeks by their number": ("KW;Mo;Di;Mi;Do;Fr\n1/2026;5;6;7;8;9\n2/2026;6;7;8;9;10", 10, "day", ["Day", "Value"], ["2025-12-29", 5.0], {}),
    "year and week apart": ("Year,Week,Line,Made\n2026,1,A,900\n2026,2,A,910", 2, "week", ["Week", "Line", "Made"], ["2025-12-29", "A", 900.0], {}),
    "targets below months": ("Månad;Försäljning (tkr);Svinn\njanuari 2026;1 220;1,9 %\nfebruari 2026;1 310;1,2 %\nMål;1 300;1,5 %", 2, "month", ["Månad", "Försäljning", "Försäljning target", "Svinn", "Svinn target"], ["2026-01-01", 1220000.0, 1300000.0, 0.019, 0.015], {"out": 1, "unit": {"Försäljning": "SEK"}}),
    "averages, marks of footnotes and a numbered title": ("\"Table 4: Recycling, per cent [note 1]\"\nCouncil,2023,2024 [r],2025 [p]\nAshby,41.2,43.4,45.1\nBrook,39.1,..,40.5\nDene,40.3,43.4,42.8\nAverage,40.2,43.4,42.8", 9, "year", ["Council", "Year", "Recycling"], ["Ashby", "2023-01-01", 41.2], {"title": 1, "out": 1, "blanks": ("..",)}),
    "average is what some are called": ("Wait,Jan 2026,Feb 2026\nShort,10,12\nAverage,20,22\nLong,3,4\nNil,1,1", 8, "month", ["Wait", "Month", "Value"], ["Short", "2026-01-01", 10.0], {}),
    "months below quarters without a year": ("Kitchen 2026\n,1. Quartal,,2. Quartal,\nStation,Jan,Feb,Apr,Mai\nA,1,2,3,4\nB,2,3,4,6", 8, "month", ["Station", "Month", "Kitchen"], ["A", "2026-01-01", 1.0], {"title": 1}),
    "years with a unit": ("Parcelle;Surface (ha);2024 (hl);2025 (hl);Rdt 2025 (hl/ha)\nLes Hauts;2,35;112,3;98,0;41,7\nClos Bas;1,1;41,9;52,5;47,7", 4, "year", ["Parcelle", "Year", "Value", "Rdt"], ["Les Hauts", "2024-01-01", 112.3, None], {"unit": {"Value": "hl", "Rdt": "hl/ha"}}),
    "years with a unit and no brackets": ("Parcelle;2024 hl;2025 hl;2026 hl\nLes Hauts;112,3;98,0;41,7\nClos Bas;41,9;52,5;47,7", 6, "year", ["Parcelle", "Year", "Value"], ["Les Hauts", "2024-01-01", 112.3], {"unit": {"Value": "hl"}}),
    "years behind what is measured, and before its unit": ("Parcelle;Récolte 2024 (hl);Récolte 2025 (hl)\nLes Hauts;112,3;98,0\nClos Bas;41,9;52,5", 4, "year", ["Parcelle", "Year", "Récolte"], ["Les Hauts", "2024-01-01", 112.3], {"unit": {"Récolte": "hl"}}),
    "a line of limits": ("Tank,Date,pH,NO3 mg/l,Temp °C\nlimit,,7.8-8.4,<20,24-26\nReef,2026-11-01,8.12,25,23.6\nReef,2026-11-02,8.36,18,23.4\nKelp,2026-11-01,8.01,9,24.4", 3, "day", ["Date", "Tank", "pH", "NO3 mg/l", "Temp °C"], ["2026-11-01", "Reef", 8.12, 25.0, 23.6], {"out": 1, "unit": {"NO3 mg/l": "mg/l", "Temp °C": "°C"}}),
    "weeks with a hyphen": ("Uge;Sal;Billetter\n2026-09;1;410\n2026-36;1;396", 2, "week", ["Uge", "Sal", "Billetter"], ["2026-02-23", 1.0, 410.0], {}),
    "a total in another language": ("Datum,Gornji,Srednji,Skupaj\n1. 2. 2026,200,310,510\n2. 2. 2026,180,400,580\nSkupaj,380,710,1090", 4, "day", ["Day", "Member", "Value"], ["2026-02-01", "Gornji", 200.0], {"total": 1}),
    "half hours down the side": ("Interval,Mon 23/11/2026,Tue 24/11/2026,Wed 25/11/2026\n08:00,3,4,5\n08:30,7,8,9", 6, "day", ["Interval", "Day", "Value"], ["08:00", "2026-11-23", 3.0], {}),
    "no date at all": ("Branch,Members,Income €\nA,10,100\nB,20,250", 2, None, ["Branch", "Members", "Income €"], ["A", 10.0, 100.0], {}),
}  # fmt: skip


def first_row(found: Any) -> list[Any]:
    return [cell.isoformat() if hasattr(cell, "isoformat") else cell for cell in found.table.frame.row(0)]


class Tables(unittest.TestCase):
    def test_each_comes_to_what_its_maker_meant(self) -> None:
        for name, (text, rows, grain, labels, first, more) in (TABLES | MORE).items():
            with self.subTest(name):
                found = look_at(text.encode(), {}, name="x.csv")
                self.assertEqual([column.label for column in found.table.columns], labels)
                self.assertEqual((found.table.frame.height, found.grain), (rows, grain))
                self.assertEqual(first_row(found), first)
                for kind in ("title", "total", "note", "group", "out"):
                    self.assertEqual(sum(line.kind == kind for line in found.lines), more.get(kind, 0), kind)
                self.assertEqual(len(found.differs), more.get("differs", 0), found.differs)
                self.assertEqual(found.blanks, more.get("blanks", ()))
                for label, unit in more.get("unit", {}).items():
                    self.assertEqual(found.units[label].unit, unit, label)

    def test_a_plain_list_is_read_as_one(self) -> None:
        for text in ("day,route,pax\n2026-01-01,A,5\n2026-01-02,B,6", "a;b\n1;x\n2;y", "name,amount\nA,1\nB,2"):
            self.assertIsNone(read_table(text.encode()).recipe, text)

    def test_what_was_a_list_stays_one(self) -> None:
        body = b"Month,KPI,Value\n2026-01,A,5\n2026-01,B,6\n2026-02,A,7\n2026-02,B,9"
        labels = [[c.label for c in read_table(body, listed=listed).table.columns] for listed in (False, True)]
        self.assertEqual(labels, [["Month", "A", "B"], ["Month", "KPI", "Value"]])
        self.assertIsNone(read_table(body, listed=True).recipe)
        told = look_at(body, {"down": "members"}, name="x.csv")
        self.assertEqual([c.label for c in told.table.columns], ["Month", "KPI", "Value"])
        again = read_table(body, recipe=recipe_of(look_at(body, {}, name="x.csv")))
        self.assertEqual(([c.label for c in again.table.columns], again.differs), (["Month", "A", "B"], ()))

    def test_a_line_that_is_the_sum_of_those_above_below_groups(self) -> None:
        body = b"route;odd\n padded ;n/a\n;x\nNorth;1e3\n padded ;\n padded ;1\n;88%\n padded ;\n padded ;1\nNorth;88%\n;1\nNorth;1e3\n"
        self.assertEqual([c.label for c in read_table(body).table.columns][-2:], ["route", "odd"])
        twice = read_table(
            "Jan;Year;;Week;Site;Jan\nKW 3;★★★☆☆;B;green;Sum;KW 3".encode()
        ).table  # a month that heads two columns
        self.assertIn("Month", [c.label for c in twice.columns])

    def test_what_was_said_by_hand_goes_before_what_is_found(self) -> None:
        text = b"Stand,Jan 2026,Feb 2026\nA,1,2\nB,3,4\nC,4,6"
        found = look_at(text, {})
        self.assertEqual(found.lines[3].kind, "total")
        found = look_at(text, {"lines": {"4": "row"}})
        self.assertEqual((found.lines[3].kind, found.table.frame.height), ("row", 6))
        found = look_at(text, {"down": "kpis"})
        self.assertEqual([c.label for c in found.table.columns], ["Month", "A", "B"])
        found = look_at(text, {"columns": {"Jan 2026": "out"}})
        self.assertEqual(found.table.frame.height, 3)
        found = look_at(b"Shop,Jan,Feb\nA,1,2", {"year": 2024})
        self.assertEqual(first_row(found)[1], "2024-01-01")
        found = look_at(b"Branch,Members\nA,10\nB,20", {"as_of": "2026-07-03"})
        self.assertEqual(first_row(found), ["2026-07-03", "A", 10.0])

    def test_the_next_file_is_read_alike_and_what_differs_is_told(self) -> None:
        first = look_at(b"Figures 2026\nSite,Jan,Feb\nA,1,2\nB,3,4\nC,4,6", {"lines": {"5": "row"}})
        recipe = recipe_of(first)
        read = read_table(b"Figures 2026\nSite,Jan,Feb,Mar\nA,1,2,3\nB,3,4,5\nC,4,6,8\nD,9,9,9", recipe=recipe)
        self.assertEqual((read.table.frame.height, read.differs), (12, ()))
        read = read_table(b"Figures 2026\nStation,Jan,Feb\nA,1,2", recipe=recipe)
        self.assertIn("No column is called “Site” any more.", read.differs)
        read = read_table(b"Figures 2026\nSite,Q1,Q2\nA,1,2", recipe=recipe)
        self.assertIn("The periods were months and are quarters now.", read.differs)
        money = look_at(b"Site,Jan 2026 (x)\nA,1", {})
        self.assertEqual(deviations({}, money), ())
        euros = recipe_of(look_at("Takings in k€ 2026\nSite,Jan,Feb\nA,1,2".encode(), {}))
        read = read_table("Takings in € 2026\nSite,Jan,Feb\nA,1000,2000".encode(), recipe=euros)
        self.assertIn("Takings was in 1,000 EUR and is in EUR now.", read.differs)

    def test_a_workbook_its_merged_heads_and_its_other_sheets(self) -> None:
        body = io.BytesIO()
        with xlsxwriter.Workbook(body, {"in_memory": True}) as book:
            book.add_worksheet("Cover").write(0, 0, "Made by the office")
            sheet = book.add_worksheet("Summary")
            sheet.merge_range(0, 0, 0, 4, "Berths 2026")
            sheet.merge_range(1, 1, 1, 2, "Free")
            sheet.merge_range(1, 3, 1, 4, "Taken")
            for at, text in enumerate(["Quay", "Jan 2026", "Feb 2026", "Jan 2026", "Feb 2026"]):
                sheet.write(2, at, text)
            for n, row in enumerate((("A", 1, 2, 3, 4), ("B", 5, 6, 7, 8))):
                for at, cell in enumerate(row):
                    sheet.write(3 + n, at, cell)
        found = look_at(body.getvalue(), {}, name="berths.xlsx")
        self.assertEqual((found.grid.sheet, found.grid.sheets), ("Summary", ("Cover", "Summary")))
        self.assertEqual([c.label for c in found.table.columns], ["Quay", "Month", "Free", "Taken"])
        self.assertEqual(first_row(found), ["A", "2026-01-01", 1.0, 3.0])

    def test_sheets_with_the_same_heads_are_one(self) -> None:
        def book(names: list[str], heads: list[str]) -> bytes:
            body = io.BytesIO()
            with xlsxwriter.Workbook(body, {"in_memory": True}) as made:
                for n, name in enumerate(names):
                    sheet = made.add_worksheet(name)
                    sheet.write(0, 0, "Kilometres")
                    for row, cells in enumerate([heads, ["Ost", n + 1, n + 2], ["West", n + 5, n + 7]], start=1):
                        sheet.write_row(row, 0, cells)
                made.add_worksheet("Notes").write(0, 0, "by hand")
            return body.getvalue()

        years = look_at(book(["2024", "2025"], ["Depot", "Jan", "Feb"]), {})
        self.assertEqual((years.grid.sheet, years.table.frame.height, years.grain), ("*", 8, "month"))
        self.assertEqual(
            years.table.frame.filter(years.table.frame["depot"] == "Ost")["month"].max().isoformat()[:7], "2025-02"
        )
        towns = look_at(book(["Brno", "Wels"], ["Line", "Jan 2026", "Feb 2026"]), {})
        self.assertEqual([c.label for c in towns.table.columns], ["Sheet", "Line", "Month", "Kilometres"])
        months = look_at(book(["Jan 2026", "Feb 2026"], ["Line", "Full", "Empty"]), {})
        self.assertEqual((months.grain, months.table.frame.height), ("month", 4))
        one = look_at(book(["Brno", "Wels"], ["Line", "Jan 2026", "Feb 2026"]), {}, sheet="Wels")
        self.assertEqual(one.table.frame.height, 4)
        # The next workbook has a third.
        read = read_table(book(["Brno", "Wels", "Graz"], ["Line", "Jan 2026", "Feb 2026"]), recipe=recipe_of(towns))
        self.assertEqual((read.table.frame.height, read.differs), (12, ()))

    def test_how_long_it_took_in_a_workbook(self) -> None:
        body = io.BytesIO()
        with xlsxwriter.Workbook(body, {"in_memory": True}) as book:
            sheet, forms = (
                book.add_worksheet(),
                [book.add_format({"num_format": form}) for form in ("dd/mm/yyyy", "hh:mm", "[h]:mm")],
            )
            sheet.write_row(0, 0, ["Day", "Machine", "Started", "Downtime"])
            for n, (began, took) in enumerate(((0.375, 0.02), (0.75, 1.25), (0.5, 0.1)), start=1):
                sheet.write_datetime(n, 0, dt.datetime(2026, 3, n), forms[0])
                sheet.write(n, 1, f"Saw {n % 2}")
                sheet.write_number(n, 2, began, forms[1])
                sheet.write_number(n, 3, took, forms[2])
        table = read_table(body.getvalue()).table
        self.assertEqual(
            [(c.label, c.type, c.unit) for c in table.columns[2:]],
            [("Started", "text", ""), ("Downtime", "number", "min")],
        )
        self.assertEqual(table.frame["downtime"].round(6).to_list(), [28.8, 1800.0, 144.0])
        self.assertEqual(table.frame["started"].to_list(), ["09:00:00", "18:00:00", "12:00:00"])

    def test_number_formats_of_a_workbook(self) -> None:
        body = io.BytesIO()
        with xlsxwriter.Workbook(body, {"in_memory": True}) as book:
            sheet = book.add_worksheet()
            forms = [
                book.add_format({"num_format": form})
                for form in ("mmm yy", "0.0%", '0 "min"', "[$€-407] #,##0.00", "#,##0")
            ]
            sheet.write_row(0, 0, ["When", "Full", "Ride", "Takings", "Riders"])
            for n in range(3):
                sheet.write_datetime(n + 1, 0, dt.datetime(2026, n + 1, 9), forms[0])
                for at, value in enumerate((0.5 + n / 10, 12 + n, 1234.5 + n, 4000 + n), start=1):
                    sheet.write_number(n + 1, at, value, forms[at])
        read = read_table(body.getvalue())
        columns = {column.label: column for column in read.table.columns}
        self.assertEqual(
            [columns[name].unit for name in ("Full", "Ride", "Takings", "Riders")], ["%", "min", "EUR", ""]
        )
        self.assertEqual(read.table.frame.row(0)[1:], (0.5, 12.0, 1234.5, 4000.0))
        self.assertEqual((columns["When"].grain, str(read.table.frame["when"][0])[:10]), ("month", "2026-01-01"))

    def test_which_way_is_better_and_targets_of_rows(self) -> None:
        text = "KPI;Einheit;Ziel;besser;Jan 26\nTermintreue;%;95;mehr;93\nReklamationen;Stk;5;weniger;7"
        self.assertEqual(look_at(text.encode(), {}).better, {"Termintreue": "higher", "Reklamationen": "lower"})

    def test_one_of_several_tables_and_what_was_told_of_it(self) -> None:
        text = b"Sales\nSite,Jan 2026,Feb 2026\nA,1,2\nB,3,4\n\nStaff\nName,Hours\nX,6\nY,8"
        self.assertEqual(look_at(text, {}).blocks, ("Sales", "Staff"))
        staff = look_at(text, {"block": 2})
        self.assertEqual([c.label for c in staff.table.columns], ["Name", "Hours"])
        self.assertEqual(read_table(text, recipe=recipe_of(staff)).table.frame.height, 2)
        across = look_at(b"Month,Alpha,Beta\nJan 2026,1,2\nFeb 2026,4,5", {"down": "across", "measure": "Loans"})
        self.assertEqual([c.label for c in across.table.columns], ["Month", "Member", "Loans"])
        self.assertEqual(look_at(b"Monat;Wert\nJan;1\nFeb;2", {}).asks_year, True)
        self.assertEqual(
            str(look_at(b"Monat;Wert\nJan;1\nFeb;2", {"year": 2025}).table.frame["monat"][0])[:10], "2025-01-01"
        )

    def test_a_table_from_the_clipboard(self) -> None:
        html = "<html><body><table><tr><td>Site</td><td colspan=2>Jan 2026</td></tr><tr><td></td><td>Sold</td><td>Lost</td></tr><tr><td>Ä & B</td><td>1</td><td>2</td></tr></table>"
        self.assertEqual(grid_of(html.encode()).rows[0], ("Site", "Jan 2026", "Jan 2026"))

    def test_garbage_is_refused_in_words(self) -> None:
        wide = ",".join(f"c{n}" for n in range(400)) + "\n" + ",".join("1" for _ in range(400))
        self.assertEqual(look_at(wide.encode(), {}).grid.width, 400)
        for body in (b"", b"   ", b"\n\n\n", b"only a title", b"PK\x03\x04 no workbook", b"\xd0\xcf\x11\xe0 none", b"<table></table>", b"a,a\nb,b\nc,c"):  # fmt: skip
            try:
                found = look_at(body, {})
                self.assertGreater(found.table.frame.height, 0)
            except Unreadable as error:
                self.assertTrue(str(error).endswith("."), error)

    def test_units_and_figures(self) -> None:
        for text, unit, scale in (("£k", "GBP", 1e3), ("in TEUR", "EUR", 1e3), ("Mio. €", "EUR", 1e6), ("%", "%", 1), ("min", "min", 1), ("kg", "kg", 1)):  # fmt: skip
            found = measure_of(text)
            self.assertTrue(found and (found.unit, found.scale) == (unit, scale), text)
        for text, unit, scale in (("tys. zł", "PLN", 1e3), ("млн", "", 1e6), ("Mio. kWh", "kWh", 1e6), ("szt.", "", 1), ("R$ mil", "BRL", 1e3), ("₹ Cr", "INR", 1e7), ("ล้านบาท", "THB", 1e6), ("eFt", "HUF", 1e3), ("dB", "dB", 1), ("kWh/m2", "kWh/m²", 1), ("l/100 km", "l/100 km", 1), ("FTE", "FTE", 1)):  # fmt: skip
            found = measure_of(text)
            self.assertTrue(found is not None and (found.unit, found.scale) == (unit, scale), text)
        self.assertEqual([m and m.unit for _, m in map(taken_apart, ("Nedetid (t)", "Fangst (t)"))], ["h", "t"])
        for text, name, unit in (
            ("active_power_kw", "active_power_kw", "kW"), ("distance_km", "distance_km", "km"), ("volume_m3", "volume_m3", "m³"),
            ("Rate (€/word)", "Rate", "€/word"), ("Price, £/t", "Price", "£/t"), ("Turn-out (mm:ss)", "Turn-out", "min"),
        ):  # fmt: skip
            name_of, found = taken_apart(text)
            self.assertEqual((name_of, found and found.unit), (name, unit))
        for text in (
            "sales_gb",
            "churn_pct",
            "wind_ms",
            "temp_min",
            "snack_bar",
            "km",
        ):  # a country, the least, a place to eat
            self.assertEqual(taken_apart(text), (text, None))
        for text in ("m", "north", "Upper deck", "W", "m/w", "Y/N", "A&E", "pen"):
            self.assertIsNone(measure_of(text), text)
        self.assertEqual(taken_apart("Time [min]")[0], "Time")
        self.assertEqual(taken_apart("Sales (North)"), ("Sales (North)", None))
        for text, value in (
            ("£1.2m", 1.2),
            ("(5.25)", -5.25),
            ("(-5.25)", -5.25),
            ("(−1,250)", -1250),
            ("(+5)", 5),
            ("5-", -5),
            ("12*", 12),
            ("−4.1%", -0.041),
            ("($45.00)", -45),
            ("-$4", -4),
            ("(12%)", -0.12),
            ("≤ 18", 18),
            ("1 234,5", 1234.5),
            ("Rp 5.000.000", 5e6),
            ("1.234.567,5", 1234567.5),
        ):
            read = quantity(text)
            self.assertTrue(read and abs(read.value - value) < 1e-9, f"{text} {read}")
        self.assertIsNone(quantity("Upper"))


MEMBERS = st.lists(
    st.sampled_from(["Aller", "Brenz", "Calmbach", "Dürn", "Ełk", "Føns", "Gül"]), min_size=2, max_size=5, unique=True
)
HEADS = ("{m} 2026", "{m}-26", "{n:02d}/2026", "2026-{n:02d}")
NAMES = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


class Folded(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(MEMBERS, st.integers(2, 12), st.sampled_from(HEADS), st.booleans(), st.booleans(), st.booleans(), st.data())
    def test_any_list_folded_wide_unfolds_to_itself(
        self, members: list[str], months: int, form: str, title: bool, total: bool, comma: bool, data: st.DataObject
    ) -> None:
        values = {(m, n): data.draw(st.integers(1, 99_999)) / 4 for m in members for n in range(months)}
        write = lambda value: f"{value:.2f}".replace(".", ",") if comma else f"{value:.2f}"  # noqa: E731
        heads = [form.format(m=NAMES[n], n=n + 1) for n in range(months)]
        lines = [["Ort", *heads], *([m, *(write(values[m, n]) for n in range(months))] for m in members)]
        if total:
            lines.append(["Summe", *(write(sum(values[m, n] for m in members)) for n in range(months))])
        if title:
            lines.insert(0, ["Aus dem Kassenbuch"])
        text = "\n".join(";".join(line) for line in lines)
        found = understand(grid_of(text.encode()))
        read = {(row[0], row[1].month - 1): row[2] for row in found.table.frame.rows()}
        self.assertEqual(read, values)
        self.assertEqual(found.differs, ())
