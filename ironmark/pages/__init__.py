"""Pages of figures, in rooms that stand on each other: ``model``, ``context``, ``reading``, ``drawing``, and above
them ``marks``, ``authoring``, ``datasets``, ``publishing``. Rules of the trade that need what is kept."""
