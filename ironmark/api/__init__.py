"""The routes: they read what is asked, call ``pages`` or ``publish``, and answer. No rules of the trade; routers import no
routers, what they share stands in ``answers`` and beside them."""
