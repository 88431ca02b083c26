Pod::Spec.new do |s|
  s.name = 'plover_dialer'
  s.version = '3.0.1'
  s.summary = 'Opens the dialler and the messages app.'
  s.homepage = 'https://docs.marram.example/plover_dialer'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
