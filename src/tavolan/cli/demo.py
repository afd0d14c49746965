def demo() -> None:
    '''x'''
