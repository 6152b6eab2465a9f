"""Files of delimited text: good, odd and hostile."""

import datetime as dt
import unittest
from unittest import mock

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.tables import reader
from ironmark.tables.reader import decoded, read_delimited
from ironmark.tables.table import Table, Unreadable, complete_through, identifiers


def read(text: str | bytes) -> Table:
    return read_delimited(text if isinstance(text, bytes) else text.encode())


def types(table: Table) -> dict[str, str]:
    return {column.name: column.type for column in table.columns}


def roles(table: Table) -> dict[str, str]:
    return {column.name: column.role for column in table.columns}


class Forms(unittest.TestCase):
    def test_each_separator_is_found(self) -> None:
        for separator in (",", ";", "\t", "|"):
            with self.subTest(separator):
                table = read(separator.join(("day", "fare")) + "\n" + separator.join(("2026-01-02", "3")) + "\n")
                self.assertEqual(table.frame.rows(), [(dt.date(2026, 1, 2), 3.0)])

    def test_a_comma_inside_quotes_or_a_decimal_comma_does_not_mislead(self) -> None:
        table = read('day,route,fare\n2026-01-02,"A, B","1,200.50"\n2026-01-03,"C, D",3\n')
        self.assertEqual(table.frame["route"].to_list(), ["A, B", "C, D"])
        self.assertEqual(table.frame["fare"].to_list(), [1200.5, 3.0])
        table = read("day;fare\n2026-01-02;1.200,50\n2026-01-03;3,5\n")
        self.assertEqual(table.frame["fare"].to_list(), [1200.5, 3.5])

    def test_thousands_are_told_by_what_stands_between_cells(self) -> None:
        for text, wanted in (
            ("Maand;Omzet\n01/2026;129.000\n02/2026;96.500\n03/2026;101.000\n", 129_000.0),
            ("Dag;Stuks\n05/01/2026;1.234\n06/01/2026;987\n07/01/2026;1.051\n08/01/2026;1.377\n", 1234.0),
            ("Day,Sales\n05/01/2026,1.500\n06/01/2026,2.000\n07/01/2026,3.500\n", 1.5),
            ("Tag;Länge\n05.01.2026;1.234\n06.01.2026;1.377\n07.01.2026;1.051\n", 1.234),
            ("Tag;Länge;Preis\n05.01.2026;1.500;2.25\n06.01.2026;1.000;3.5\n07.01.2026;2.500;1.75\n", 1.5),
        ):
            self.assertEqual(read(text).frame.to_series(1)[0], wanted, text)

    def test_letters_of_other_encodings_are_read(self) -> None:
        for encoding, called, text in (
            ("cp1250", "Windows-1250", "Oddział;Miesiąc;Sprzedaż\nŁódź;styczeń;1200\nŻyrardów;luty;900\nGdańsk;marzec;850\n"),
            ("cp1250", "Windows-1250", "Měsíc;Pobočka;Tržby (Kč)\n1/2026;Zlín;120\n2/2026;Plzeň;90\n"),
            ("cp1250", "Windows-1250", "Mesec;Poslovalnica;Prihodki\n1/2026;Črnuče Šiška;120\n2/2026;Žalec;90\n"),
            ("cp1250", "Windows-1250", "Időszak;Üzletkötő;Bevétel (Ft)\n1/2026;Kőszegi;120\n2/2026;Szabó;90\n"),
            ("cp1252", "Windows-1252", "Mois;Entrepôt;Coût\n1/2026;Orléans première;120\n2/2026;Nîmes août;90\n"),
            ("cp1252", "Windows-1252", "Mês;Estação;Operações\n1/2026;São João;120\n2/2026;Leões;90\n"),
            ("cp1252", "Windows-1252", "Giorno;Città;Quantità\nlunedì;Forlì;120\nmartedì;Cantù;90\n"),
            ("cp1252", "Windows-1252", "Måned;By;Salg\n1/2026;København;120\n2/2026;Tromsø;90\n"),
            ("cp1250", "Windows-1250", "Pracownia;Miesiąc;Przychód zł\nŁódź Śródmieście;01.2026;120\nŻuławy;02.2026;90\n"),
            ("cp1252", "Windows-1252", "Tienda;Mes;Año;Ingresos €;m³\nLogroño;enero;2026;100;4\nA Coruña;febrero;2026;90;5\n"),
            ("cp1252", "Windows-1252", "Loja;Mês;Receita\nSão João;março;100\nÉvora;abril;90\n"),
            ("cp1252", "Windows-1252", "Filiale;Monat;Erlös £;Größe m³\nMünchen;01.2026;100;3\nKöln;02.2026;90;4\n"),
            ("cp1251", "Windows-1251", "Филиал;Месяц;Выручка\nСеверный;январь;1200\nЮжный;февраль;900\n"),
            ("cp1252", "Windows-1252", "Filial;Månad;Intäkt\nMalmö;januari;1200\nÅre;mars;900\n"),
            ("cp1253", "Windows-1253", "Κατάστημα;Μήνας;Πωλήσεις\nΒόρειο;Ιανουάριος;1200\n"),
            ("shift_jis", "Shift JIS", "支店,月,売上\n北支店,1月,1200\n南支店,2月,900\n"),
            ("euc_kr", "EUC-KR", "지점,월,매출\n북부,1월,1200\n"),
        ):  # fmt: skip
            with self.subTest(text[:20]):
                found, notes = decoded(text.encode(encoding))
                self.assertEqual(found, text)
                self.assertIn(f"it was read as {called}.", notes[0].message)

    def test_encodings(self) -> None:
        for encoding in ("utf-8", "utf-8-sig", "utf-16"):
            with self.subTest(encoding):
                table = read("Größe;Ort\n1;Ærø\n".encode(encoding))
                self.assertEqual(table.columns[0].name, "größe")
                self.assertEqual(table.frame["ort"].to_list(), ["Ærø"])
                self.assertFalse([p for p in table.problems if "UTF-8" in p.message])
        table = read("Größe;Ort\n1;Örebro\n".encode("cp1252"))
        self.assertEqual(table.frame["ort"].to_list(), ["Örebro"])
        self.assertTrue([p for p in table.problems if "Windows-1252" in p.message])

    def test_line_ends_and_blank_lines(self) -> None:
        table = read("\r\n\r\na,b\r\n1,2\r\n\r\n3,4\r\n\r\n")
        self.assertEqual(table.frame.rows(), [(1.0, 2.0), (3.0, 4.0)])

    def test_a_carriage_return_alone_ends_a_line_too(self) -> None:
        for text in ("day,fare\r2026-01-01,5\r2026-01-02,6", "day,fare\r\n2026-01-01,5\r2026-01-02,6", "a\rb;c"):
            with self.subTest(text):
                try:
                    table = read(text)
                except Unreadable:
                    continue
                self.assertNotIn("\r", "".join(column.label for column in table.columns))

    def test_headers_become_names_a_formula_can_hold(self) -> None:
        labels = ["Delay (minutes)", "Delay (minutes)", "", "where", "2026", "sum", "=cmd()", "路线", "🚢", "x" * 90]
        self.assertEqual(
            identifiers(labels),
            [
                "delay_minutes",
                "delay_minutes_2",
                "column_3",
                "where_",
                "c_2026",
                "sum_",
                "cmd",
                "路线",
                "column_9",
                "x" * 60,
            ],
        )

    def test_one_column_one_row_no_rows(self) -> None:
        self.assertEqual(read("fare\n5\n").frame.rows(), [(5.0,)])
        empty = read("day,fare\n")
        self.assertEqual((empty.frame.height, len(empty.columns)), (0, 2))
        self.assertTrue([p for p in empty.problems if "no rows" in p.message])


class Types(unittest.TestCase):
    def test_dates(self) -> None:
        for cells in (
            ("2026-01-31", "2026-02-01"),
            ("31/01/2026", "01/02/2026"),
            ("31.1.2026", "1.2.2026"),
            ("2026-01-31T10:00", "2026-02-01 11:30"),
        ):
            with self.subTest(cells):
                table = read("day;x\n" + "".join(f"{cell};1\n" for cell in cells))
                self.assertEqual(table.frame["day"].to_list(), [dt.date(2026, 1, 31), dt.date(2026, 2, 1)])
        months = read("day;x\n2026-01;1\n2026-02;2\n")
        self.assertEqual(months.frame["day"].to_list(), [dt.date(2026, 1, 1), dt.date(2026, 2, 1)])

    def test_month_first_only_where_day_first_cannot_be(self) -> None:
        self.assertEqual(read("day;x\n01/31/2026;1\n02/01/2026;1\n").frame["day"].to_list()[0], dt.date(2026, 1, 31))
        unclear = read("day;x\n01/02/2026;1\n")
        self.assertEqual(unclear.frame["day"].to_list(), [dt.date(2026, 2, 1)])
        self.assertTrue([p for p in unclear.problems if "day first" in p.message])

    def test_numbers_percents_money_flags(self) -> None:
        table = read("n;p;m;f;t\n−1.5;88%;£1,200;yes;a1\n2;90%;£3;No;b\n n/a ; ;;;\n")
        self.assertEqual(types(table), {"n": "number", "p": "number", "m": "number", "f": "flag", "t": "text"})
        self.assertEqual(table.frame["n"].to_list(), [-1.5, 2.0, None][: table.frame.height])
        self.assertEqual(table.frame["p"].to_list()[:2], [0.88, 0.9])
        self.assertEqual(table.frame["f"].to_list()[:2], [True, False])

    def test_the_file_says_how_its_numbers_are_written(self) -> None:
        table = read("day;a;b\n2026-01-01;1.234;1.234,50\n2026-01-02;2.500;3,5\n2026-01-03;7;2\n")
        self.assertEqual(table.frame["a"].to_list(), [1234.0, 2500.0, 7.0])
        self.assertIn("read as 1234, as the rest of the file has a decimal comma", str(table.problems))
        table = read("day;a;b\n2026-01-01;1,234;1.5\n2026-01-02;2,500;2.5\n")
        self.assertEqual(table.frame["a"].to_list(), [1234.0, 2500.0])

    def test_a_column_that_contradicts_the_file_is_doubted(self) -> None:
        table = read("day;a;b\n2026-01-01;1.5;1.234,50\n2026-01-02;2.25;3,5\n2026-01-03;3.5;4,5\n")
        self.assertEqual(table.frame["a"].to_list(), [1.5, 2.25, 3.5])
        problem = next(p for p in table.problems if p.column == "a")
        self.assertIn("decimal point, and the rest of the file has a decimal comma", problem.message)

    def test_where_nothing_tells_it_is_asked_and_the_answer_holds(self) -> None:
        text = "day;a\n2026-01-01;1.234\n2026-01-02;2.500\n2026-01-03;7\n"
        table = read(text)
        self.assertEqual(table.frame["a"].to_list(), [1.234, 2.5, 7])
        self.assertIn("nothing in the file says so", str(table.problems))
        said = read_delimited(text.encode(), "comma")
        self.assertEqual(said.frame["a"].to_list(), [1234, 2500, 7])
        self.assertEqual(read("day;a\n2026-01-01;0.125\n2026-01-02;0.5\n").problems, ())

    def test_brackets_are_negative_as_accountants_write(self) -> None:
        table = read('day,a\n2026-01-01,(5.25)\n2026-01-02,"(£1,200.50)"\n2026-01-03,3\n')
        self.assertEqual(table.frame["a"].to_list(), [-5.25, -1200.5, 3])

    def test_two_scales_of_percent_are_pointed_out(self) -> None:
        table = read("p;x\n88%;1\n0.9;1\n")
        self.assertTrue([p for p in table.problems if p.column == "p" and "percent sign" in p.message])

    def test_a_few_odd_cells_are_left_blank_and_named(self) -> None:
        rows = [f"2026-01-{i:02d};{i}" for i in range(1, 29)]
        rows[4] = "2026-01-05;oops"
        table = read("day;fare\n" + "\n".join(rows) + "\n")
        self.assertEqual(types(table)["fare"], "number")
        problem = next(p for p in table.problems if p.column == "fare")
        self.assertIn("oops", problem.message)
        self.assertEqual(problem.rows, (6,))

    def test_a_mixed_column_stays_text(self) -> None:
        self.assertEqual(types(read("x;y\n1;1\nb;1\nc;1\n"))["x"], "text")

    def test_spellings_of_one_member_are_pointed_out(self) -> None:
        table = read("route;x\nNight freight;1\nNight  Freight;1\nnight freight;1\n")
        self.assertTrue([p for p in table.problems if p.column == "route" and "3 ways" in p.message])


class Roles(unittest.TestCase):
    def test_are_proposed_by_type_and_recurrence(self) -> None:
        rows = "".join(
            f"2026-01-{i % 28 + 1:02d},r{i % 4},{i},yes,ticket {i},{i},06:{i % 60:02d}\n" for i in range(200)
        )
        table = read("day,route,fare,late,note,order_id,clock\n" + rows)
        expected = {
            "day": "period",
            "route": "segment",
            "fare": "measure",
            "late": "flag",
            "note": "text",
            "order_id": "text",
            "clock": "text",
        }
        self.assertEqual(roles(table), expected)

    def test_without_dates_it_says_what_to_add(self) -> None:
        self.assertTrue([p for p in read("a,b\n1,2\n").problems if "No column of dates" in p.message])

    def test_the_hinted_date_is_the_period(self) -> None:
        self.assertEqual(roles(read("made,month\n2020-01-05,2026-01-01\n"))["month"], "period")

    def test_complete_through_is_the_last_day_or_month(self) -> None:
        daily, monthly = read("day,x\n2026-01-02,1\n2026-01-20,1\n"), read("month,x\n2026-01-01,1\n2026-02-01,1\n")
        self.assertEqual(complete_through(daily.frame, daily.columns), dt.date(2026, 1, 20))
        self.assertEqual(complete_through(monthly.frame, monthly.columns), dt.date(2026, 2, 28))


class Hostile(unittest.TestCase):
    def test_what_is_no_table_is_refused_in_words(self) -> None:
        for body, says in (
            (b"", "empty"),
            (b"  \n \n", "empty"),
            (b"PK\x03\x04rest", "Save the sheet as CSV"),
            (b"%PDF-1.7", "Save the sheet as CSV"),
            (b"a,b\n\x00\x01\x02", "binary"),
            ((",".join("x" * 600) + "\n").encode(), "at most 500"),
            (b'a,b\n"x,1\n2,3\n', "Check the quotes"),
        ):
            with self.subTest(body[:12]), self.assertRaises(Unreadable) as caught:
                read(body)
            self.assertIn(says, str(caught.exception))

    def test_ragged_rows_are_named(self) -> None:
        table = read("a,b\n1,2,3\n1\n4,5\n")
        problem = next(p for p in table.problems if "number of cells" in p.message)
        self.assertEqual(problem.rows, (2, 3))
        self.assertEqual(table.frame["a"].to_list(), [1.0, 1.0, 4.0])

    def test_formulas_and_markup_stay_text(self) -> None:
        table = read("name,x\n=1+1,1\n<script>alert(1)</script>,1\n")
        self.assertEqual(table.frame["name"].to_list(), ["=1+1", "<script>alert(1)</script>"])

    def test_ten_thousand_rows(self) -> None:
        body = "day,x\n" + "".join(f"2026-01-{i % 28 + 1:02d},{i}\n" for i in range(10_000))
        self.assertEqual(read(body).frame.select(pl.col("x").sum()).item(), sum(range(10_000)))


class OddDates(unittest.TestCase):
    def test_a_cell_that_is_no_date_at_all_among_dates(self) -> None:
        rows = "".join(f"{n:02d}/11/2026;{n}\n" for n in range(1, 28))
        found = read(f"day;x\n{rows}x;1\n")
        self.assertEqual(found.columns[0].type, "date")
        self.assertIn("1 of 28 cells are no date", found.problems[0].message)


class LargeFiles(unittest.TestCase):
    """A large plain file is read by columns: to the same table as with care, or not at all."""

    CELLS = {
        "day": st.dates(dt.date(2024, 1, 1), dt.date(2026, 12, 31)).map(str),
        "their day": st.dates(dt.date(2024, 1, 1), dt.date(2026, 12, 31)).map(lambda d: d.strftime("%d/%m/%Y")),
        "route": st.sampled_from(("North", "South", " padded ", "Ærø", "")),
        "late": st.sampled_from(("yes", "No", "")),
        "fare": st.floats(-1e6, 1e6).map(lambda x: f"{x:.2f}"),
        "count": st.integers(-10, 10).map(str),
        "share": st.integers(0, 100).map(lambda n: f"{n}%"),
        "money": st.integers(0, 9).map(lambda n: f"£{n},000"),
        "quoted": st.sampled_from(('"a;b,c\t"', '"say ""x"" "', '"two\nlines"', '"North"', "North", '""', '" "')),
        "in quotes": st.integers(0, 99).map(lambda n: f'"{n}"'),
        "inches": st.sampled_from(('5" pipe', '"5"" pipe"', '"bad"x', '"open')),
        "odd": st.sampled_from(("1", "2.5", "n/a", "x", "3 ", "", "1e3", "88%")),
    }

    @settings(max_examples=200)
    @given(st.data(), st.sampled_from((",", ";", "\t")), st.booleans(), st.sampled_from(("", "\n", "1\n", "1;2,3\n")))
    def test_the_same_either_way(self, data: st.DataObject, separator: str, ends: bool, rest: str) -> None:
        names = [name for name in self.CELLS if name != "money" or separator != ","]
        chosen = data.draw(st.lists(st.sampled_from(names), min_size=2, max_size=5, unique=True))
        rows = data.draw(st.lists(st.tuples(*(self.CELLS[name] for name in chosen)), min_size=4, max_size=40))
        lines = [separator.join(chosen), *(separator.join(row) for row in rows)]
        body = ("\n".join(lines) + ("\n" if ends or rest else "") + rest).encode()
        with mock.patch.object(reader, "_LARGE", 0), mock.patch.object(reader, "_SAMPLE", 60):
            quick = reader._plain(body)
        if quick is not None:
            slow = reader._careful(body)
            self.assertEqual(quick.columns, slow.columns)
            self.assertTrue(quick.frame.equals(slow.frame), (quick.frame, slow.frame))
            self.assertEqual(quick.problems, slow.problems)

    def test_a_plain_one_is_read_so_and_an_odd_one_with_care(self) -> None:
        rows = "".join(f"2026-01-{1 + n % 28:02d},R{n % 9},{n},yes\n" for n in range(200_000))
        quick = reader._plain(f"day,route,x,late\n{rows}".encode())
        assert quick is not None
        self.assertEqual([c.role for c in quick.columns], ["period", "segment", "measure", "flag"])
        for odd in (
            "2026-01-01,R1,many,yes\n",
            "2026-01-01,R1,5\n",
            '2026-01-01,R"1,5,no\n',
            '2026-01-01,"R1"x,5,no\n',
            "2026-01-01,R1,5,no,no\n",
        ):
            self.assertIsNone(reader._plain(f"day,route,x,late\n{rows}{odd}".encode()), odd)
        quoted = reader._plain(f'day,route,x,late\n{rows}2026-01-01,"R1, ""old""\nway",5,no\n'.encode())
        assert quoted is not None
        self.assertEqual(quoted.frame.row(-1), (dt.date(2026, 1, 1), 'R1, "old"\nway', 5.0, False))
        blank = reader._plain(f"day,route,x,late\n{rows}2026-01-01,,n/a,\n".encode())
        assert blank is not None
        self.assertEqual(blank.frame.row(-1), (dt.date(2026, 1, 1), None, None, None))
