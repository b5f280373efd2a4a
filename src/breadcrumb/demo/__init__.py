"""Lantern Bay: a small harbour at night, played headlessly, with faults that can be switched on one by one."""
