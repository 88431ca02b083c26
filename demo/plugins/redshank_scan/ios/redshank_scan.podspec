Pod::Spec.new do |s|
  s.name = 'redshank_scan'
  s.version = '3.3.0'
  s.summary = 'Talks to a ring reader over Bluetooth.'
  s.homepage = 'https://docs.marram.example/redshank_scan'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
